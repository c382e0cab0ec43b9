<?php

declare(strict_types=1);

namespace App\Models;

use Lighterman\Core\Position\Position;

/** Lighterman's copy of a receipt; the original stands in the target beside the rows. */
final class Receipt extends Record
{
    public $timestamps = false;

    protected $casts = ['from_position' => 'array', 'to_position' => 'array', 'landed_at' => 'immutable_datetime'];

    public function from(): Position
    {
        return Position::fromArray($this->from_position);
    }

    public function to(): Position
    {
        return Position::fromArray($this->to_position);
    }
}
