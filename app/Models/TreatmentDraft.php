<?php

declare(strict_types=1);

namespace App\Models;

use Carbon\CarbonImmutable;

/**
 * A treatment being changed, not saved as a version yet.
 *
 * @property int $feed_id
 * @property array<array-key, mixed> $body
 * @property string $person
 * @property CarbonImmutable $updated_at
 */
final class TreatmentDraft extends Record
{
    public const CREATED_AT = null;

    public $incrementing = false;

    protected $primaryKey = 'feed_id';

    protected $casts = ['body' => 'array', 'updated_at' => 'immutable_datetime'];
}
