<?php

declare(strict_types=1);

namespace Lighterman\Connectors;

/**
 * The time as this process counts it. It goes on evenly whatever is done to the machine's clock, which people and time
 * services set forwards and backwards, and can be set by another machine's.
 */
final class SteadyClock
{
    /** Microseconds since 1970 UTC at the zero of the counter; null before the first question. */
    private static ?int $zero = null;

    /** Microseconds since 1970 UTC. */
    public static function micros(): int
    {
        self::$zero ??= (int) (microtime(true) * 1e6) - self::counted();

        return self::$zero + self::counted();
    }

    /** Seconds since 1970 UTC. */
    public static function time(): int
    {
        return intdiv(self::micros(), 1_000_000);
    }

    /** Seconds since some moment; for durations only. Setting the clock does not touch them. */
    public static function seconds(): float
    {
        return hrtime(true) / 1e9;
    }

    /** @param  int  $micros  what time it is now, microseconds since 1970 UTC */
    public static function set(int $micros): void
    {
        self::$zero = $micros - self::counted();
    }

    private static function counted(): int
    {
        return intdiv((int) hrtime(true), 1000);
    }
}
