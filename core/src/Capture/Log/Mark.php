<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Log;

/** A message somebody wrote into the log: a heartbeat, or a mark of a first load. */
final readonly class Mark
{
    public function __construct(public int $lsn, public string $prefix, public string $content)
    {
    }
}
