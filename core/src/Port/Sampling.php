<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** Which rows of a table are looked at. */
final readonly class Sampling
{
    /** Rows among which random ones are picked, so that a huge table is not read through. */
    public const AMONG = 100_000;

    /**
     * @param  'first'|'last'|'random'|'key'  $way  in key order, at random among the first the source gives, or one by its key
     * @param  array<string, string>  $key  column to value as text
     */
    private function __construct(public string $way, public array $key = [])
    {
    }

    public static function first(): self
    {
        return new self('first');
    }

    public static function last(): self
    {
        return new self('last');
    }

    public static function random(): self
    {
        return new self('random');
    }

    /** @param  array<string, string>  $key */
    public static function key(array $key): self
    {
        return new self('key', $key);
    }
}
