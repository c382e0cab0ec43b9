<?php

declare(strict_types=1);

namespace Lighterman\Core\Position;

use InvalidArgumentException;

/**
 * A place among the readings of a change table: the number of a reading, and how many units of it have passed, both
 * hexadecimal, parted by a slash; with a plus where the unit that follows is meant with what came before it.
 */
final readonly class ReadingPlace implements Place
{
    private function __construct(public int $reading, public int $passed, private bool $with)
    {
    }

    /** Everything before a unit of a reading. */
    public static function before(int $reading, int $passed): self
    {
        return new self($reading, $passed, false);
    }

    /** The unit of a reading that comes after as many, with everything before it. */
    public static function unitAfter(int $reading, int $passed): self
    {
        return new self($reading, $passed, true);
    }

    /** @throws InvalidArgumentException if it is not such a place */
    public static function parse(string $text): self
    {
        return preg_match('#^([0-9A-F]{1,8})/([0-9A-F]{1,8})(\+?)\z#i', $text, $m) ? new self((int) hexdec($m[1]), (int) hexdec($m[2]), $m[3] === '+')
            : throw new InvalidArgumentException("\"{$text}\" is not a place among readings such as 2F/0.");
    }

    public function covers(Place $other): bool
    {
        return $other instanceof self && [$this->reading, $this->passed, $this->with] >= [$other->reading, $other->passed, $other->with];
    }

    public function label(): string
    {
        return sprintf('%X/%X', $this->reading, $this->passed);
    }

    public function text(): string
    {
        return $this->label().($this->with ? '+' : '');
    }

    public function ofChange(int $number): string
    {
        return sprintf('%08X%08X-%08X', $this->reading, $this->passed, $number);
    }
}
