<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Mask;

use Lighterman\Core\Treatment\Value\Worker;

/** The same text for every value. */
final readonly class Fixed implements Worker
{
    public function __construct(private string $text)
    {
    }

    public function of(string $value): string
    {
        return $this->text;
    }
}
