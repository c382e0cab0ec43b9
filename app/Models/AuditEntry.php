<?php

declare(strict_types=1);

namespace App\Models;

use Carbon\CarbonImmutable;

/**
 * Who changed what, with what stood there before and after. Secrets are never part of it.
 *
 * @property int $id
 * @property string $person
 * @property string $action
 * @property string $subject_kind
 * @property string $subject
 * @property array<array-key, mixed>|null $before
 * @property array<array-key, mixed>|null $after
 * @property CarbonImmutable $at
 * @property int|null $place  in the chain, once it is committed
 * @property string|null $hash  over the entry and the hash of the one before
 */
final class AuditEntry extends Record
{
    public $timestamps = false;

    protected $casts = ['before' => 'array', 'after' => 'array', 'at' => 'immutable_datetime'];
}
