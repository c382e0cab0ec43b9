<?php

declare(strict_types=1);

namespace Lighterman\Connectors;

use HashContext;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Counts;

/** What the rows of the batches of one delivery add up to, as they were given. */
final class Sent
{
    public int $rows = 0;

    private int $bytes = 0;

    private readonly HashContext $hash;

    public function __construct()
    {
        $this->hash = hash_init('xxh128');
    }

    public function add(Batch $batch): void
    {
        $this->rows += $batch->rows;
        $this->bytes += $batch->bytes();
        foreach ($batch->parts() as $lines) {
            hash_update($this->hash, $lines);
        }
    }

    /** With the sum over what was sent, which ends here. */
    public function counts(): Counts
    {
        return new Counts(0, bytes: $this->bytes, checksum: hash_final($this->hash));
    }
}
