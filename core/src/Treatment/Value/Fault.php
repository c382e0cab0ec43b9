<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Value;

use RuntimeException;

/**
 * A record that cannot be treated as it was meant to be. The message never holds the value itself: whether it may be
 * shown is known only where the column is.
 */
final class Fault extends RuntimeException
{
    private function __construct(public readonly string $reason, string $message)
    {
        parent::__construct($message);
    }

    public static function because(string $reason, string $message): self
    {
        return new self($reason, $message);
    }

    public static function tooLong(): self
    {
        return new self('too_long', 'the result would be longer than '.Limits::TEXT.' characters');
    }
}
