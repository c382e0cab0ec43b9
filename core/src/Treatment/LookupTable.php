<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Trouble\SystemTrouble;

/** A table that values are looked up in. */
interface LookupTable
{
    /** Values asked for in one query, at most. */
    public const AT_ONCE = 400;

    /**
     * @param  list<string>  $keys  in text form, at most AT_ONCE
     * @return array<array-key, string|null> what those have that are there; of several rows with one key, any
     *
     * @throws SystemTrouble
     */
    public function fetch(array $keys): array;

    /** Seconds since some moment, by a clock that nobody sets; answers age by it. */
    public function now(): int;
}
