<?php

declare(strict_types=1);

namespace App\Models;

/** A treatment being changed, not saved as a version yet. */
final class TreatmentDraft extends Record
{
    public const CREATED_AT = null;

    public $incrementing = false;

    protected $primaryKey = 'feed_id';

    protected $casts = ['body' => 'array', 'updated_at' => 'immutable_datetime'];
}
