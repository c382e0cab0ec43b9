<?php

declare(strict_types=1);

namespace App\Runtime\Log;

/** A worker's right to read one route's log for a while. The token grows with every lease. */
final readonly class LogLease
{
    public function __construct(public int $logId, public string $worker, public int $token)
    {
    }
}
