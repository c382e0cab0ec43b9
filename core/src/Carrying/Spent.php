<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

/** Where the time of a batch went, in milliseconds. */
final class Spent
{
    public float $reading = 0.0;

    public float $treating = 0.0;

    public float $landing = 0.0;

    /** The part of one feed. */
    public function share(float $share): self
    {
        $part = new self;
        [$part->reading, $part->treating, $part->landing] = [$this->reading * $share, $this->treating * $share, $this->landing * $share];

        return $part;
    }
}
