<?php

declare(strict_types=1);

namespace App\Models;

use Carbon\CarbonImmutable;
use Lighterman\Core\Definition\FeedDefinition;

/**
 * One immutable version of how a feed is carried.
 *
 * @property int $id
 * @property int $feed_id
 * @property int $version
 * @property array<array-key, mixed> $body
 * @property string $person
 * @property CarbonImmutable $created_at
 */
final class Definition extends Record
{
    public const UPDATED_AT = null;

    protected $casts = ['body' => 'array', 'created_at' => 'immutable_datetime'];

    private ?FeedDefinition $parsed = null;

    /** @var array<string, mixed>|null */
    private ?array $read = null;

    /** A version never changes, so that it is decoded once and not each time that something of it is asked. */
    protected function castAttribute($key, $value): mixed
    {
        return $key === 'body' && $value !== null ? $this->read ??= parent::castAttribute($key, $value) : parent::castAttribute($key, $value);
    }

    public function parsed(): FeedDefinition
    {
        // A version never changes, and reading it compiles its treatment.
        return $this->parsed ??= FeedDefinition::fromArray($this->body);
    }
}
