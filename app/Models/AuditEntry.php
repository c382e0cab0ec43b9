<?php

declare(strict_types=1);

namespace App\Models;

/** Who changed what, with what stood there before and after. Secrets are never part of it. */
final class AuditEntry extends Record
{
    public $timestamps = false;

    protected $casts = ['before' => 'array', 'after' => 'array', 'at' => 'immutable_datetime'];
}
