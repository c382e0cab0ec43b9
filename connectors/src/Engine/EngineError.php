<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Engine;

use RuntimeException;

/** What the engine says of a statement that it cannot carry out. */
final class EngineError extends RuntimeException
{
    public static function said(string $message): self
    {
        // The first line says what is wrong; what follows repeats the statement, which may hold values.
        return new self(trim(explode("\n", $message)[0]));
    }
}
