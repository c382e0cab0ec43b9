<?php

declare(strict_types=1);

namespace App\Models;

/** One line of a run's log. */
final class RunLine extends Record
{
    public $timestamps = false;

    protected $casts = ['at' => 'immutable_datetime'];
}
