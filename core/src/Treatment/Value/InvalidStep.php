<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Value;

use RuntimeException;

/** A step that cannot be done; the message says what to write instead. */
final class InvalidStep extends RuntimeException
{
    public static function because(string $message): self
    {
        return new self($message);
    }
}
