<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use Lighterman\Core\Latency\ClockOffset;

/** Up to when a copy will be complete, told by the source's clock, and what that clock said at the time. */
final readonly class SourceTime
{
    /**
     * @param  string  $upTo  ISO 8601, UTC
     * @param  string  $clock  ISO 8601, UTC
     */
    public function __construct(public string $upTo, public string $clock)
    {
    }

    /**
     * The same by our own clock. The time that the source took to answer counts against the copy.
     *
     * @param  int  $asked  our clock when the source was asked, microseconds
     * @return int microseconds
     */
    public function ours(int $asked): int
    {
        return ClockOffset::between($asked, ClockOffset::micros($this->clock), $asked)->ours(ClockOffset::micros($this->upTo));
    }
}
