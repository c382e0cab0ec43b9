<?php

declare(strict_types=1);

namespace App\Runtime\Work;

/** A worker's right to do one piece of work for a while. The token grows with every lease of the work, so targets can refuse an old one. */
final readonly class Lease
{
    /** @param  int  $of  the number of the feed, or of the log */
    public function __construct(public WorkKind $kind, public int $of, public string $worker, public int $token)
    {
    }
}
