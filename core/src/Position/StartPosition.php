<?php

declare(strict_types=1);

namespace Lighterman\Core\Position;

/** Nothing has landed. */
final readonly class StartPosition extends Position
{
    public function hasBegun(): bool
    {
        return false;
    }

    public function isLoading(): bool
    {
        return true;
    }

    public function __toString(): string
    {
        return 'start';
    }

    public function toArray(): array
    {
        return ['phase' => 'start'];
    }
}
