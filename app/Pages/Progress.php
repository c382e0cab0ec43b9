<?php

declare(strict_types=1);

namespace App\Pages;

use App\Support\Say;
use Lighterman\Connectors\SteadyClock;

/** What a load's progress says: rate and time left. */
final class Progress
{
    /**
     * Rows a second since this run of the load began.
     *
     * @param  array{rows: int, of: int|null, since: float, sinceRows: int}|null  $progress
     */
    public static function rate(?array $progress): ?float
    {
        $seconds = $progress === null ? 0 : SteadyClock::micros() / 1e6 - $progress['since'];

        return $seconds < 1 ? null : ($progress['rows'] - $progress['sinceRows']) / $seconds;
    }

    /** @param  array{rows: int, of: int|null, since: float, sinceRows: int}|null  $progress */
    public static function left(?array $progress): ?string
    {
        $rate = self::rate($progress);

        return ! $rate || ($progress['of'] ?? null) === null || $progress['rows'] >= $progress['of'] ? null : Say::span(($progress['of'] - $progress['rows']) / $rate).' left';
    }
}
