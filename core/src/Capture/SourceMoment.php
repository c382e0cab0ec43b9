<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

/**
 * What the source said of itself when a window was about to be fixed.
 *
 * Times are ISO 8601 in UTC with microseconds, so that they order as text.
 */
final readonly class SourceMoment
{
    /**
     * @param  string  $clock  the source's clock
     * @param  string|null  $oldestOpen  start of the oldest transaction still open, if any
     * @param  string|null  $bound  the source's clock, held back and rendered in the watermark column's own type (moments
     *                              and dates), or the greatest value present (numbers); null when the table is empty
     * @param  string  $held  the clock that a bound in time stands for: held back behind the oldest open transaction, and by
     *                        whatever margin the source needs
     */
    public function __construct(public string $clock, public ?string $oldestOpen, public ?string $bound, public string $held)
    {
    }

    /** @param  string  $upTo  of the source's clock, ISO 8601, UTC */
    public function upTo(string $upTo): SourceTime
    {
        return new SourceTime($upTo, $this->clock);
    }
}
