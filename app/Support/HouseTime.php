<?php

declare(strict_types=1);

namespace App\Support;

use DateTimeZone;
use Illuminate\Database\Connection;
use Illuminate\Support\Carbon;
use Lighterman\Connectors\SteadyClock;

/** What time it is for Lighterman: what its database says, so that workers on machines with other clocks agree on what is due. */
final class HouseTime extends Carbon
{
    public static function now(DateTimeZone|string|int|null $timezone = null): static
    {
        if (self::hasTestNow()) {
            return parent::now($timezone);
        }
        $micros = SteadyClock::micros();

        return (new self(sprintf('@%d.%06d', intdiv($micros, 1_000_000), $micros % 1_000_000)))->setTimezone($timezone ?? date_default_timezone_get());
    }

    public static function takeFrom(Connection $database): void
    {
        $asked = SteadyClock::seconds();
        $theirs = (int) $database->scalar('SELECT (extract(epoch FROM clock_timestamp()) * 1000000)::bigint');
        SteadyClock::set($theirs + (int) ((SteadyClock::seconds() - $asked) / 2 * 1e6));
    }
}
