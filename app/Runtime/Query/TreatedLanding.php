<?php

declare(strict_types=1);

namespace App\Runtime\Query;

use App\Models\SetAside;
use App\Runtime\Treating\Again;
use App\Runtime\Treating\AsideBook;
use App\Runtime\Treating\WatchCounter;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Carrying\ApartPlace;
use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Bounds;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Record\Stretch;
use Lighterman\Core\Treatment\Apart;
use Lighterman\Core\Treatment\Fork;
use Lighterman\Core\Treatment\Treated;
use Lighterman\Core\Treatment\Treater;

/** Has the batches of a run treated, lands what passes, and writes down what does not. */
final class TreatedLanding
{
    private int $sequence;

    private float $treating = 0.0;

    private float $landing = 0.0;

    private int $warned = 0;

    private readonly LandedTable $table;

    public function __construct(
        private readonly RowDelivery $delivery,
        private readonly FeedDefinition $definition,
        private readonly AsideBook $book,
        private readonly ?Treater $treater,
        private readonly RunRecorder $recorder,
        private readonly WatchCounter $watch,
        private readonly Bounds $bounds,
    ) {
        $this->table = $definition->landedTable();
        $this->begin();
    }

    /** Goes on from what stands in the target. */
    public function begin(): void
    {
        $this->sequence = $this->delivery->sequence() + 1;
        $this->book->begin($this->sequence - 1);
        $this->watch->forget();
        $this->warned = 0;
        $this->treater?->begin();
    }

    /**
     * @param  float  $readingMs  spent on reading since the last receipt
     * @param  bool  $whole  whether the whole table is being read anew
     */
    public function land(Batch $batch, float $readingMs, bool $whole): ?Receipt
    {
        $clock = hrtime(true);
        if ($this->book->anyWaiting() && $this->definition->destination->landing === Landing::Upsert) {
            $this->overtake($batch);
        }
        if ($whole && $batch->stretch->closes && $this->definition->destination->landing === Landing::Replace) {
            $this->book->overtakeAll($this->sequence);
        }
        foreach ($batch->unreadable as $unreadable) {
            $this->book->addUnreadable($unreadable, $batch->shape->names(), $this->recorder->run->id, $this->sequence);
        }
        $this->book->flush();
        if ($batch->stretch->closes) {
            $this->book->taken($batch->stretch->to->files, $this->sequence);
        }
        $batch = $this->treated($batch);
        $this->treating += (hrtime(true) - $clock) / 1e6;
        $clock = hrtime(true);
        $receipt = $this->delivery->land($batch, $this->recorder->run->id, SteadyClock::seconds());
        $this->landing += (hrtime(true) - $clock) / 1e6;
        if ($receipt !== null) {
            $this->landed($receipt, $readingMs);
        }

        return $receipt;
    }

    /** Lands what has been held back. */
    public function settle(): ?Receipt
    {
        $clock = hrtime(true);
        $receipt = $this->delivery->settle();
        $this->landing += (hrtime(true) - $clock) / 1e6;
        if ($receipt !== null) {
            $this->landed($receipt, 0.0);
        }

        return $receipt;
    }

    private function landed(Receipt $receipt, float $readingMs): void
    {
        $this->recorder->landed($receipt, $readingMs, $this->treating, $this->landing, $this->warned);
        $this->delivery->copied($receipt->sequence);
        $this->treating = $this->landing = 0.0;
        $this->warned = 0;
        $this->sequence = $receipt->sequence + 1;
        $this->watch->flush();
        $this->treater?->begin();
    }

    private function treated(Batch $batch): Batch
    {
        [$encoded, $unwritable] = $this->bounds->suspects($batch->encoded) ? $this->writable($batch) : [$batch->encoded, 0];
        if ($this->treater === null) {
            return $batch->unreadable === [] && $unwritable === 0 ? $batch : $batch->treated($batch->shape, $encoded, 0, $unwritable);
        }
        $treated = $this->treater->block($encoded);
        foreach ($treated->apart as $apart) {
            $this->book->add($apart, new ApartPlace($this->recorder->run->id, $this->sequence, (string) $batch->stretch->to));
        }
        $this->book->flush();
        $this->warned += $treated->warned;
        $this->watch->add($treated->landing(), $treated);

        return $batch->treated($this->table->shape, $treated->own(), $treated->dropped, count($treated->apart) + $unwritable, $this->forked($treated), $this->gone($treated));
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
            $this->book->addUnwritable($row, $fault, new ApartPlace($this->recorder->run->id, $this->sequence, (string) $batch->stretch->to));
        }
        $this->book->flush();

        return [$left === [] ? '' : implode("\n", $left)."\n", $apart];
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

    /** Keys of the records that a choice keeps out, since they take no fork: what landed of them before has to go. */
    private function gone(Treated $treated): string
    {
        $dropped = $treated->landed[Fork::DROPPED] ?? '';
        if ($dropped === '' || $this->definition->destination->landing !== Landing::Upsert) {
            return '';
        }
        $key = KeyOf::columns($this->table->shape->names(), $this->table->key);

        return implode('', array_map(static function (string $line) use ($key): string {
            $fields = explode("\t", $line);

            return implode("\t", array_map(static fn (int $at): string => $fields[$at], $key->places))."\n";
        }, explode("\n", substr($dropped, 0, -1))));
    }

    /** Notes which waiting records have a newer version in this batch. */
    private function overtake(Batch $batch): void
    {
        $hashes = [];
        foreach ($batch->decoded() as $row) {
            $hash = $this->book->hash($row);
            if ($this->book->isWaiting($hash)) {
                $hashes[$hash] = $hash;
            }
        }
        $this->book->overtake(array_values($hashes), $this->sequence);
    }

    /** Says what the run's lookups took. */
    public function close(): void
    {
        $queries = $this->treater?->queries();
        if ($queries !== null) {
            $this->recorder->say("Lookups took {$queries} ".($queries === 1 ? 'query.' : 'queries.'));
        }
    }

    /** Sends the records again that were asked for. */
    public function again(int $feedId): void
    {
        for (; ;) {
            $treated = new Treated;
            $again = Again::some($feedId, $this->definition, $this->bounds, $this->sequence, fn (SetAside $record, array $raw): Apart|bool => $this->takeAgain($raw, $treated));
            if ($again === null) {
                return;
            }
            if ($again->lands()) {
                $at = $this->delivery->position()->bare();
                $this->watch->add($treated->landing(), $treated);
                $this->landed($this->delivery->again(new Batch($this->table->shape, $treated->own(), new Stretch($at, $at, null, true), $treated->dropped, count($treated->apart), $this->forked($treated), $this->gone($treated)), $this->recorder->run->id), 0.0);
            }
            $this->recorder->say($again->said());
        }
    }

    /** @param  list<string|false|null>  $raw */
    private function takeAgain(array $raw, Treated $treated): Apart|bool
    {
        $apart = count($treated->apart);
        $row = $this->treater === null ? $raw : $this->treater->row($raw, $treated);
        $came = $row ?? $this->treater?->left;
        if ($came !== null) {
            $fork = $this->treater->took ?? Fork::OWN;
            $treated->landed[$fork] = ($treated->landed[$fork] ?? '').CopyText::record($came);
        }

        return $row !== null ?: $treated->apart[$apart] ?? false;
    }
}
