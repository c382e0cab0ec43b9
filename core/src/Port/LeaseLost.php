<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use RuntimeException;

/** Another worker has taken the feed over; what this one was about to commit was refused by the target. */
final class LeaseLost extends RuntimeException
{
    public static function to(int $newer, int $mine): self
    {
        return new self("Another worker carries this feed now (fencing token {$newer}; this worker holds {$mine}). Nothing was written.");
    }
}
