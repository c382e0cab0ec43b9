<?php

declare(strict_types=1);

namespace Lighterman\Connectors;

use HashContext;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Batch;

/** The batches that commit together, and what they add up to. */
final class Unit
{
    public int $rows = 0;

    public int $bytes = 0;

    public int $dropped = 0;

    public int $setAside = 0;

    private readonly HashContext $hash;

    public function __construct(public readonly Position $from, public readonly int $sequence, public readonly string $now)
    {
        $this->hash = hash_init('xxh128');
    }

    public function add(Batch $batch): void
    {
        $this->rows += $batch->rows;
        $this->bytes += $batch->bytes();
        $this->dropped += $batch->dropped;
        $this->setAside += $batch->setAside;
        foreach ($batch->parts() as $lines) {
            hash_update($this->hash, $lines);
        }
    }

    /** Hexadecimal xxh128 over all rows as they were sent. Ends the unit. */
    public function checksum(): string
    {
        return hash_final($this->hash);
    }
}
