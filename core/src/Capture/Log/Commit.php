<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Log;

use Lighterman\Core\Position\Place;

/** A source transaction is complete. */
final readonly class Commit
{
    /**
     * @param  Place  $end  right after the transaction: where reading goes on
     * @param  int  $committedAt  microseconds since 1970 UTC
     */
    public function __construct(public Place $end, public int $committedAt)
    {
    }
}
