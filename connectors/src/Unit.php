<?php

declare(strict_types=1);

namespace Lighterman\Connectors;

use HashContext;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Position\FileMark;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Receipt;

/** The batches that commit together, and what they add up to. */
final class Unit
{
    public int $rows = 0;

    public int $bytes = 0;

    public int $dropped = 0;

    public int $setAside = 0;

    /** @var list<FileMark> taken by its batches before the last */
    private array $files = [];

    private ?Batch $last = null;

    private readonly HashContext $hash;

    public function __construct(public readonly Position $from, public readonly int $sequence, public readonly string $now)
    {
        $this->hash = hash_init('xxh128');
    }

    public function add(Batch $batch): void
    {
        $this->files = $this->last?->closes ? [...$this->files, ...$this->last->to->files] : $this->files;
        $this->last = $batch;
        $this->rows += $batch->rows;
        $this->bytes += $batch->bytes();
        $this->dropped += $batch->dropped;
        $this->setAside += $batch->setAside;
        foreach ($batch->parts() as $lines) {
            hash_update($this->hash, $lines);
        }
    }

    /**
     * Lines with the technical columns at the end of each.
     *
     * @param  array<string, string>  $stamps  stamped column by what it holds
     */
    public function stamped(string $lines, array $stamps, Batch $batch): string
    {
        if ($stamps === []) {
            return $lines;
        }
        $values = ['delivered_at' => CopyText::field($this->now), 'source_position' => CopyText::field((string) $batch->to)];
        $tail = implode("\t", array_map(static fn (string $stamp): string => $values[$stamp], array_keys($stamps)));

        return str_replace("\n", "\t{$tail}\n", $lines);
    }

    /**
     * Ends the unit.
     *
     * @param  Batch  $last  of the unit
     */
    public function receipt(int $run, Batch $last, Counts $counts, string $landedAt): Receipt
    {
        return new Receipt(
            $this->sequence, $run, $this->from->bare(), $last->to->also($this->files), $this->rows + $this->dropped + $this->setAside,
            $counts->inserted, $counts->updated, $counts->unchanged, $counts->deleted, $this->dropped, $this->setAside,
            $this->bytes, hash_final($this->hash), $last->sourceTime, $landedAt, $counts->superseded,
        );
    }
}
