<?php

declare(strict_types=1);

namespace App\Models;

use Lighterman\Core\Definition\FeedDefinition;

/** One immutable version of how a feed is carried. */
final class Definition extends Record
{
    public const UPDATED_AT = null;

    protected $casts = ['body' => 'array', 'created_at' => 'immutable_datetime'];

    public function parsed(): FeedDefinition
    {
        return FeedDefinition::fromArray($this->body);
    }
}
