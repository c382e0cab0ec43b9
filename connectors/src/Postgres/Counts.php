<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres;

/** What became of the rows of one unit in the target, by the server's own count. */
final readonly class Counts
{
    public function __construct(public int $inserted, public int $updated = 0, public int $unchanged = 0, public int $deleted = 0)
    {
    }
}
