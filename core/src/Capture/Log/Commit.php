<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Log;

/** A source transaction is complete. */
final readonly class Commit
{
    /**
     * @param  int  $end  position right after the commit: where reading goes on
     * @param  int  $committedAt  microseconds since 1970 UTC
     */
    public function __construct(public int $end, public int $committedAt)
    {
    }
}
