<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** What the source says of the reading of its log. */
final readonly class LogState
{
    /**
     * @param  int  $end  place up to which the log is written
     * @param  int  $retained  bytes of log that are kept for this reading
     * @param  bool  $lost  whether log that was still needed is gone
     */
    public function __construct(public int $end, public int $retained, public bool $lost)
    {
    }
}
