<?php

declare(strict_types=1);

namespace App\Models;

use Lighterman\Core\Definition\FeedDefinition;

/** One immutable version of how a feed is carried. */
final class Definition extends Record
{
    public const UPDATED_AT = null;

    protected $casts = ['body' => 'array', 'created_at' => 'immutable_datetime'];

    private ?FeedDefinition $parsed = null;

    public function parsed(): FeedDefinition
    {
        // A version never changes, and reading it compiles its treatment.
        return $this->parsed ??= FeedDefinition::fromArray($this->body);
    }
}
