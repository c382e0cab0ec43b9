<?php

declare(strict_types=1);

namespace App\Runtime\Common;

/** How long to wait before trying again: doubling, bounded, and spread so that many feeds do not come back at once. */
final class Backoff
{
    /** @param  int  $failures in a row, from 1 */
    public static function seconds(int $failures): int
    {
        $longest = (int) config('lighterman.longest_backoff_seconds');
        $wait = min($longest, 2 ** min($failures, 16));

        return max(1, (int) round($wait * (0.8 + 0.4 * lcg_value())));
    }
}
