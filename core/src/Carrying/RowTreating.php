<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Trial;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Bounds;
use Lighterman\Core\Record\Stretch;
use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Treatment\Apart;
use Lighterman\Core\Treatment\Fork;
use Lighterman\Core\Treatment\Judging;
use Lighterman\Core\Treatment\Outcome;
use Lighterman\Core\Treatment\Treated;
use Lighterman\Core\Treatment\Treater;
use Lighterman\Core\Treatment\Value\Fault;

/** Has the rows of one feed treated batch by batch, and sets aside what cannot land. */
final class RowTreating
{
    private readonly LandedTable $table;

    private readonly Leaving $leaving;

    /** Number that the receipt of the unit under way will have. */
    private int $sequence = 0;

    private int $warned = 0;

    /** What asks the target about each record; null where it takes them. */
    private ?Trial $trial = null;

    /** Records that were set aside before, as far as they have been taken in again. */
    private Treated $again;

    /**
     * @param  Treater|null  $treater  null for nothing to be done to them
     * @param  int  $run  Lighterman's number of it
     */
    public function __construct(private readonly FeedDefinition $definition, private readonly ?Treater $treater, private readonly Bounds $bounds, private readonly Aside $aside, private readonly Watched $watch, private readonly int $run)
    {
        $this->table = $definition->landedTable();
        $this->leaving = new Leaving($definition, $treater);
        $this->again = new Treated;
    }

    /**
     * Goes on from what stands in the target.
     *
     * @param  int  $landed  number of the last receipt there
     */
    public function begin(int $landed): void
    {
        $this->sequence = $landed + 1;
        $this->aside->begin($landed);
        $this->watch->forget();
        $this->warned = 0;
        $this->treater?->begin();
    }

    public function sequence(): int
    {
        return $this->sequence;
    }

    public function warned(): int
    {
        return $this->warned;
    }

    /** From here on the target is asked about each record, for it has refused some. */
    public function tries(Trial $trial): void
    {
        $this->trial = $trial;
    }

    /** Whether records that the target refuses can be found, and are to be set aside. */
    public function mayTry(): bool
    {
        return $this->trial === null && $this->definition->treatment->refused() === Outcome::SetAside;
    }

    /** Queries that lookups have taken so far; null where nothing is looked up. */
    public function lookups(): ?int
    {
        return $this->treater?->queries();
    }

    /** What was treated has landed. */
    public function landedAs(int $sequence): void
    {
        $this->sequence = $sequence + 1;
        $this->warned = 0;
        $this->watch->flush();
        $this->treater?->begin();
    }

    /**
     * What lands of a batch. What does not is written down before it is given back.
     *
     * @param  bool  $whole  whether the whole table is being read anew
     */
    public function treat(Batch $batch, bool $whole): Batch
    {
        $stretch = $batch->stretch;
        if ($this->aside->anyWaiting() && $this->definition->destination->landing->merges()) {
            $this->overtake($batch);
        }
        if ($whole && $stretch->closes && $this->definition->destination->landing->swaps()) {
            $this->aside->overtakeAll($this->sequence);
        }
        foreach ($batch->unreadable as $unreadable) {
            $this->aside->addUnreadable($unreadable, $batch->shape->names(), $this->run, $this->sequence);
        }
        $this->aside->flush();
        if ($stretch->closes) {
            $this->aside->taken($stretch->to->files(), $this->sequence);
        }

        return $this->treated($batch);
    }

    private function treated(Batch $batch): Batch
    {
        [$encoded, $unwritable] = $this->bounds->suspects($batch->encoded) ? $this->writable($batch) : [$batch->encoded, 0];
        $taken = function (string $records) use ($batch, &$unwritable): string {
            [$left, $refused] = $this->trial === null || $records === '' ? [$records, 0] : $this->tried($this->trial, $batch, $records);
            $unwritable += $refused;

            return $left;
        };
        if ($this->treater === null) {
            $encoded = $taken($encoded);

            return $batch->unreadable === [] && $unwritable === 0 ? $batch : $batch->treated($batch->shape, $encoded, 0, $unwritable);
        }
        $treated = $this->treater->block($encoded, $taken);
        foreach ($treated->apart as $apart) {
            $this->aside->add($apart, $this->place($batch));
        }
        $this->aside->flush();
        $this->warned += $treated->warned;
        $this->watch->add($treated->landing(), $treated);

        return $batch->treated($this->table->shape, $treated->own(), $treated->dropped, count($treated->apart) + $unwritable, $this->forked($treated), $this->leaving->keys($treated, $encoded));
    }

    /**
     * Sets records aside with values that the target cannot hold.
     *
     * @return array{string, int} the lines that are left, and how many are not
     */
    private function writable(Batch $batch): array
    {
        $left = [];
        $apart = 0;
        foreach (explode("\n", substr($batch->encoded, 0, -1)) as $line) {
            $row = $this->bounds->suspects($line) ? CopyText::row($line) : [];
            $fault = $this->bounds->fault($row);
            if ($fault === null) {
                $left[] = $line;

                continue;
            }
            $apart++;
            // A row that fails whole has no place in a list.
            $this->aside->addUnwritable($this->definition->treatment->explode === null ? $row : [...$row, null], $fault, $this->place($batch));
        }
        $this->aside->flush();

        return [$left === [] ? '' : implode("\n", $left)."\n", $apart];
    }

    /**
     * Sets records aside that the target refuses.
     *
     * @param  string  $encoded  lines of records
     * @return array{string, int} the lines that are left, and how many are not
     */
    private function tried(Trial $trial, Batch $batch, string $encoded): array
    {
        $lines = explode("\n", substr($encoded, 0, -1));
        $apart = 0;
        foreach ($this->lands(array_map(CopyText::row(...), $lines)) as $name => $landing) {
            foreach ($trial->refused($this->table->tables()[$name] ?? $this->table, $landing) as $n => $why) {
                if (isset($lines[$n])) {
                    $this->aside->addUnwritable(CopyText::row($lines[$n]), $why, $this->place($batch));
                    unset($lines[$n]);
                    $apart++;
                }
            }
        }
        $this->aside->flush();

        return [$lines === [] ? '' : implode("\n", $lines)."\n", $apart];
    }

    /**
     * What records would land as. Counts nothing.
     *
     * @param  list<list<string|false|null>>  $records
     * @return array<string, array<int, string>> lines of each, by the name of the fork
     */
    private function lands(array $records): array
    {
        $landing = [];
        foreach ($records as $n => $record) {
            $lands = LandsAs::of($this->treater, $this->table, $record);
            if ($lands !== null) {
                $landing[$lands->fork][$n] = CopyText::line($lands->row);
            }
        }

        return $landing;
    }

    private function place(Batch $batch): ApartPlace
    {
        return new ApartPlace($this->run, $this->sequence, (string) $batch->stretch->to);
    }

    /** @return array<string, string> lines by the name of the fork that takes them */
    private function forked(Treated $treated): array
    {
        $forked = [];
        foreach (array_keys($this->table->forks->tables) as $n => $name) {
            $forked[$name] = $treated->landed[$n] ?? '';
        }

        return array_filter($forked, static fn (string $lines): bool => $lines !== '');
    }

    /** Notes which waiting records have a newer version in this batch. */
    private function overtake(Batch $batch): void
    {
        $hashes = [];
        foreach ($batch->decoded() as $row) {
            $hash = $this->aside->hash($row);
            if ($this->aside->isWaiting($hash)) {
                $hashes[$hash] = $hash;
            }
        }
        $this->aside->overtake(array_values($hashes), $this->sequence);
    }

    /**
     * Takes in a record that was set aside before.
     *
     * @param  list<string|false|null>  $raw  as it was read
     * @return Apart|Unwritable|bool why it fails again, or whether it will land
     */
    public function again(array $raw): Apart|Unwritable|bool
    {
        $before = count($this->again->apart);
        try {
            $records = $this->treater?->explosion->again($raw) ?? [$raw];
        } catch (Fault $fault) {
            $unreadable = $this->treater?->whole->unreadable(array_slice($raw, 0, -1), $fault);
        }
        foreach ($this->trial === null ? [] : $this->lands($records ?? []) as $name => $landing) {
            foreach ($this->trial?->refused($this->table->tables()[$name] ?? $this->table, $landing) ?? [] as $why) {
                return $why;
            }
        }
        // Of a row whose list becomes rows, none lands while one of them fails.
        foreach (isset($unreadable) ? [$unreadable] : $this->looked($records ?? []) as $judged) {
            if ($judged->outcome() === Outcome::SetAside) {
                $this->again->settle($judged, 0);

                return $this->again->apart[$before];
            }
        }
        $landed = false;
        foreach ($records ?? [] as $record) {
            $landed = $this->recordAgain($record) || $landed;
        }

        return $landed ?: $this->again->apart[$before] ?? false;
    }

    /**
     * What would become of several records of one row.
     *
     * @param  list<list<string|false|null>>  $records
     * @return list<Judging>
     */
    private function looked(array $records): array
    {
        return $this->treater === null || count($records) < 2 ? [] : array_map($this->treater->look(...), $records);
    }

    /**
     * @param  list<string|false|null>  $record
     * @return bool whether it lands
     */
    private function recordAgain(array $record): bool
    {
        $row = $this->treater === null ? $record : $this->treater->row($record, $this->again);
        $came = $row ?? $this->treater?->left;
        if ($came !== null) {
            $fork = $this->treater->took ?? Fork::OWN;
            $this->again->landed[$fork] = ($this->again->landed[$fork] ?? '').CopyText::line($came);
        }

        return $row !== null;
    }

    /** What was taken in again, beside where the feed stands. */
    public function takenAgain(Position $at): Batch
    {
        [$treated, $this->again] = [$this->again, new Treated];
        $this->watch->add($treated->landing(), $treated);

        return new Batch($this->table->shape, $treated->own(), new Stretch($at, $at, null, true), $treated->dropped, count($treated->apart), $this->forked($treated), $this->leaving->dropped($treated));
    }
}
