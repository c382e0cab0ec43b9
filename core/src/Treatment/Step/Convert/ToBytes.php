<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Convert;

use Lighterman\Core\Treatment\Value\Worker;

/** The bytes of a text in UTF-8, in PostgreSQL's hexadecimal form. */
final readonly class ToBytes implements Worker
{
    public function of(string $value): string
    {
        return '\\x'.bin2hex($value);
    }
}
