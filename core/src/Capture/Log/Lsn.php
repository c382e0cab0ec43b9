<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Log;

use InvalidArgumentException;

/**
 * Log positions as numbers and as PostgreSQL writes them: two hexadecimal halves of 32 bits, parted by a slash.
 *
 * Positions from 2⁶³ on (eight exabytes of log) are out of range.
 *
 * @see https://www.postgresql.org/docs/15/datatype-pg-lsn.html
 */
final class Lsn
{
    /** @throws InvalidArgumentException if it is not a log position */
    public static function parse(string $text): int
    {
        if (! preg_match('#^([0-9A-F]{1,8})/([0-9A-F]{1,8})$#i', $text, $m)) {
            throw new InvalidArgumentException("\"{$text}\" is not a log position such as 1/6B374D80.");
        }

        return ((int) hexdec($m[1]) << 32) | (int) hexdec($m[2]);
    }

    public static function text(int $lsn): string
    {
        return sprintf('%X/%X', $lsn >> 32, $lsn & 0xFFFFFFFF);
    }

    /** Place of one change: its transaction's position and its number within it, as text that orders as the changes do. */
    public static function place(int $lsn, int $number): string
    {
        return sprintf('%016X-%08X', $lsn, $number);
    }
}
