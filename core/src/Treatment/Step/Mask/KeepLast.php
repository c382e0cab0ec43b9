<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Mask;

use Lighterman\Core\Treatment\Value\Worker;

/** Dots for all but the last characters. A value that is not longer than what is kept is hidden whole. */
final readonly class KeepLast implements Worker
{
    public function __construct(private int $keep)
    {
    }

    public function of(string $value): string
    {
        $length = mb_strlen($value, 'UTF-8');

        return $length <= $this->keep ? str_repeat('·', $length) : str_repeat('·', $length - $this->keep).($this->keep === 0 ? '' : mb_substr($value, -$this->keep, null, 'UTF-8'));
    }
}
