<?php

declare(strict_types=1);

namespace Lighterman\Core\Record;

use Lighterman\Core\Position\Position;
use LogicException;

/** The record of one committed batch. Receipts of a feed join end to end: each begins where the one before it ended. */
final readonly class Receipt
{
    /**
     * @param  int  $sequence  1 for a feed's first receipt, then without a gap
     * @param  int  $run  Lighterman's number of the run
     * @param  string  $landedAt  the target's clock, ISO 8601 with zone
     * @param  int  $deleted  rows removed or marked; of captured changes each is one that was read, a reload counts the rows it replaced
     * @param  int  $superseded  changes that a later one of the same batch to the same key made needless
     *
     * @throws LogicException if read is not delivered + unchanged + superseded + dropped + set aside
     */
    public function __construct(
        public int $sequence,
        public int $run,
        public Position $from,
        public Position $to,
        public int $read,
        public int $inserted,
        public int $updated,
        public int $unchanged,
        public int $deleted,
        public int $dropped,
        public int $setAside,
        public int $bytes,
        public string $checksum,
        public ?string $sourceTime,
        public string $landedAt,
        public int $superseded = 0,
    ) {
        $accounted = $inserted + $updated + $unchanged + $superseded + $dropped + $setAside + ($to->place === null ? 0 : $deleted);
        if ($read !== $accounted) {
            throw new LogicException("The counts of receipt {$sequence} do not add up: read {$read}, accounted for {$accounted}.");
        }
    }
}
