<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** What the source says of the reading of its log. */
final readonly class LogState
{
    /**
     * @param  int  $waiting  bytes that are not yet read; 0 where that is not known
     * @param  int  $retained  bytes of log that are kept for this reading
     * @param  bool  $lost  whether log that was still needed is gone
     */
    public function __construct(public int $waiting, public int $retained, public bool $lost)
    {
    }
}
