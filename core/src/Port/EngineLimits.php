<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** What the embedded engine that reads and writes files may use, in each process. */
final readonly class EngineLimits
{
    /**
     * @param  int  $memory  megabytes
     * @param  string  $temporary  folder for what does not fit into memory, and for files of a store on their way
     * @param  int  $fetched  megabytes of files of a store that stay on this machine
     */
    public function __construct(public int $memory, public int $threads, public string $temporary, public int $fetched = 10_000)
    {
    }
}
