<?php

declare(strict_types=1);

namespace App\Models;

use Carbon\CarbonImmutable;

/**
 * One line of a run's log.
 *
 * @property int $id
 * @property int $run_id
 * @property CarbonImmutable $at
 * @property string $level
 * @property string $said
 */
final class RunLine extends Record
{
    public $timestamps = false;

    protected $casts = ['at' => 'immutable_datetime'];
}
