<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

/** How long transactions wait for others to land with them. Times are seconds, by a clock that goes on evenly. */
final class Lingering
{
    /** How long a transaction may wait, when the last commit is as recent. */
    private const LINGER = 0.1;

    /** How long a batch may stay open while the stream keeps bringing more without a pause. */
    private const LONGEST = 1.0;

    private float $landedAt = 0.0;

    public function landed(float $now): void
    {
        $this->landedAt = $now;
    }

    /**
     * When a batch is to land. The first transaction after a pause lands at once; in a busy time several share a commit.
     *
     * @param  float|null  $since  when its first transaction was complete
     * @param  float  $pace  seconds between two commits that the target asks for
     */
    public function dueAt(?float $since, float $pace): float
    {
        return max((float) $since, $this->landedAt + max(self::LINGER, $pace));
    }

    /** Whether a batch has been open for so long that it lands though more keeps coming. */
    public function isLong(?float $since, float $now): bool
    {
        return $since !== null && $now - $since > self::LONGEST;
    }
}
