<?php

declare(strict_types=1);

namespace Lighterman\Core\Record;

use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\Positions;
use Lighterman\Core\Position\StreamPosition;
use LogicException;

/**
 * The record of one committed batch. Receipts of a feed join end to end: each begins where the one before it ended.
 *
 * Old ones of a steady stream are joined into one line, which keeps the sums of their counts, both ends, and a sum over their
 * checksums in order, so that nobody can have changed one of them.
 */
final readonly class Receipt
{
    public int $run;

    public Position $to;

    /** Rows or changes that were read, those among them that did not land. */
    public int $read;

    public int $inserted;

    public int $updated;

    public int $unchanged;

    /** Rows removed or marked; of captured changes each is one that was read, a reload counts the rows it replaced. */
    public int $deleted;

    public int $dropped;

    public int $setAside;

    public int $bytes;

    /** xxh128 of what was sent; of a line that stands for several, SHA-256 of theirs in order, with a space between. */
    public string $checksum;

    /** Changes that a later one of the same batch to the same key made needless. */
    public int $superseded;

    /**
     * @param  int  $sequence  1 for a feed's first receipt, then without a gap
     * @param  int  $came  rows or changes that were handed to the target
     * @param  Counts  $counts  what became of them there
     * @param  string  $landedAt  the target's clock, ISO 8601 with zone
     * @param  int|null  $first  number of the first receipt that it stands for; null for itself only
     *
     * @throws LogicException if what came is not inserted + updated + unchanged + superseded, and deleted where changes are captured
     */
    public function __construct(public int $sequence, public Position $from, Arrival $arrival, int $came, Counts $counts, public ?string $sourceTime, public string $landedAt, public ?int $first = null)
    {
        [$this->run, $this->to, $this->dropped, $this->setAside] = [$arrival->run, $arrival->to, $arrival->dropped, $arrival->setAside];
        [$this->inserted, $this->updated, $this->unchanged, $this->deleted, $this->superseded] = [$counts->inserted, $counts->updated, $counts->unchanged, $counts->deleted, $counts->superseded];
        [$this->bytes, $this->checksum] = [$counts->bytes, $counts->checksum];
        $this->read = $came + $arrival->dropped + $arrival->setAside;
        $accounted = $this->inserted + $this->updated + $this->unchanged + $this->superseded + $this->dropped + $this->setAside + ($this->to instanceof StreamPosition ? $this->deleted : 0);
        if ($this->read !== $accounted) {
            throw new LogicException("The counts of receipt {$sequence} do not add up: read {$this->read}, accounted for {$accounted}.");
        }
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['from' => $this->from->toArray(), 'to' => $this->to->toArray()] + get_object_vars($this);
    }

    /** @param  array<string, mixed>  $data  as toArray() gives it */
    public static function fromArray(string $feed, array $data): self
    {
        return new self(
            $data['sequence'], Positions::fromArray($data['from']), new Arrival($feed, Positions::fromArray($data['to']), $data['run'], $data['dropped'], $data['setAside']), $data['read'] - $data['dropped'] - $data['setAside'],
            new Counts($data['inserted'], $data['updated'], $data['unchanged'], $data['deleted'], $data['bytes'], $data['checksum'], $data['superseded'] ?? 0), $data['sourceTime'], $data['landedAt'], $data['first'] ?? null,
        );
    }
}
