<?php

declare(strict_types=1);

namespace Lighterman\Core\Record;

/** What became of the rows of one unit in the target, by the server's own count, with the bytes that were sent for them. */
final readonly class Counts
{
    /** @param  int  $superseded  rows after which another of the same key came in the unit, so that they were not written */
    public function __construct(public int $inserted, public int $updated = 0, public int $unchanged = 0, public int $deleted = 0, public int $bytes = 0, public string $checksum = '', public int $superseded = 0)
    {
    }

    public function plus(self $other): self
    {
        return new self(
            $this->inserted + $other->inserted, $this->updated + $other->updated, $this->unchanged + $other->unchanged, $this->deleted + $other->deleted,
            $this->bytes + $other->bytes, $this->checksum === '' || $other->checksum === '' ? $this->checksum.$other->checksum : hash('xxh128', $this->checksum.$other->checksum),
            $this->superseded + $other->superseded,
        );
    }
}
