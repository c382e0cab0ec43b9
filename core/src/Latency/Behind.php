<?php

declare(strict_types=1);

namespace Lighterman\Core\Latency;

use DateTimeImmutable;

/** How far a copy is behind its source. */
final class Behind
{
    /**
     * Seconds between now and the point up to which the copy is complete; 0 when the clocks disagree the other way.
     *
     * @return float|null null while nothing has been completed
     */
    public static function seconds(?DateTimeImmutable $completeUpTo, DateTimeImmutable $now): ?float
    {
        return $completeUpTo === null ? null : max(0.0, (float) $now->format('U.u') - (float) $completeUpTo->format('U.u'));
    }

    /**
     * Place on the logarithmic scale of the ruler, from 0 (now) to 1 (a week and beyond).
     */
    public static function place(float $seconds): float
    {
        return min(1.0, log($seconds + 1) / log(604_801));
    }
}
