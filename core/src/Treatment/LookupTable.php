<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Trouble\SystemTrouble;

/** A table that values are looked up in. */
interface LookupTable
{
    /** Values asked for in one query, at most. */
    public const AT_ONCE = 2000;

    /**
     * @param  list<string>  $keys  in text form, at most AT_ONCE
     * @return array<array-key, string|null|false> what those have that are there; false where several rows of a key have different values
     *
     * @throws SystemTrouble
     */
    public function fetch(array $keys): array;

    /** Seconds since some moment, by a clock that nobody sets; answers age by it. */
    public function now(): int;
}
