<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Avro;

use RuntimeException;

/** Bytes that are not what the format says. */
final class MalformedAvro extends RuntimeException
{
    public static function because(string $why): self
    {
        return new self("It cannot be read as an Avro file: {$why}.");
    }
}
