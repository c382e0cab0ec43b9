<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Log;

use RuntimeException;

/** Bytes that do not follow the protocol. */
final class BrokenLog extends RuntimeException
{
    public static function unknown(string $kind): self
    {
        return new self('The log holds a message of unknown kind "'.(ctype_print($kind) ? $kind : bin2hex($kind)).'".');
    }

    public static function short(string $kind): self
    {
        return new self("A message of kind \"{$kind}\" ends before it is complete.");
    }

    public static function relation(int $id): self
    {
        return new self("The log changes table number {$id}, which it has not described.");
    }
}
