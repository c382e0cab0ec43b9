<?php

declare(strict_types=1);

namespace Lighterman\Core\Position;

use InvalidArgumentException;

/**
 * A place in a log that grows by bytes, as PostgreSQL writes it: two hexadecimal halves of 32 bits, parted by a slash; with a
 * plus where the transaction that was committed exactly there is meant with what came before it.
 *
 * Places from 2⁶³ on (eight exabytes of log) are out of range.
 *
 * @see https://www.postgresql.org/docs/15/datatype-pg-lsn.html
 */
final readonly class LogPlace implements Place
{
    /** @param  int  $byte  of the log */
    private function __construct(public int $byte, private bool $with)
    {
    }

    /** Everything that was committed before a byte of the log. */
    public static function before(int $byte): self
    {
        return new self($byte, false);
    }

    /** Everything up to and with the transaction whose commit begins at a byte of the log. */
    public static function commitAt(int $byte): self
    {
        return new self($byte, true);
    }

    /** @throws InvalidArgumentException if it is not a log position */
    public static function parse(string $text): self
    {
        if (! preg_match('#^([0-9A-F]{1,8})/([0-9A-F]{1,8})(\+?)\z#i', $text, $m) || strlen($m[1]) === 8 && $m[1][0] > '7') {
            throw new InvalidArgumentException("\"{$text}\" is not a log position such as 1/6B374D80.");
        }

        return new self(((int) hexdec($m[1]) << 32) | (int) hexdec($m[2]), $m[3] === '+');
    }

    public function covers(Place $other): bool
    {
        return $other instanceof self && [$this->byte, $this->with] >= [$other->byte, $other->with];
    }

    /** The byte as PostgreSQL writes it. */
    public function label(): string
    {
        return sprintf('%X/%X', $this->byte >> 32, $this->byte & 0xFFFFFFFF);
    }

    public function text(): string
    {
        return $this->label().($this->with ? '+' : '');
    }

    public function ofChange(int $number): string
    {
        return sprintf('%016X-%08X', $this->byte, $number);
    }
}
