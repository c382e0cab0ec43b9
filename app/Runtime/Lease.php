<?php

declare(strict_types=1);

namespace App\Runtime;

/** A worker's right to carry one feed for a while. The token grows with every lease of the feed, so targets can refuse an old one. */
final readonly class Lease
{
    public function __construct(public int $feedId, public string $worker, public int $token)
    {
    }
}
