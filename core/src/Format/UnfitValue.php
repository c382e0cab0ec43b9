<?php

declare(strict_types=1);

namespace Lighterman\Core\Format;

use RuntimeException;

/** A value that a format has no way to write, such as an infinite date. */
final class UnfitValue extends RuntimeException
{
    public static function of(string $value, string $wanted): self
    {
        $shown = mb_strlen($value) > 60 ? mb_substr($value, 0, 60).'…' : $value;

        return new self("\"{$shown}\" cannot be written as {$wanted}.");
    }
}
