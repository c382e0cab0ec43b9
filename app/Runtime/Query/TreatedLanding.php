<?php

declare(strict_types=1);

namespace App\Runtime\Query;

use App\Models\SetAside;
use App\Runtime\Treating\Again;
use App\Runtime\Treating\OtherRow;
use App\Runtime\Work\Lease;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Carrying\RowTreating;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Trial;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Bounds;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Treatment\Apart;
use Lighterman\Core\Trouble\SystemTrouble;

/** Has the batches of a run treated, lands them, and records what landed and how long it took. */
final class TreatedLanding
{
    private float $treatingMs = 0.0;

    private float $landingMs = 0.0;

    public function __construct(private readonly RowDelivery $delivery, private readonly RowTreating $treating, private readonly RunRecorder $recorder)
    {
        $this->begin();
    }

    /** Goes on from what stands in the target. */
    public function begin(): void
    {
        $this->treating->begin($this->delivery->sequence());
    }

    /**
     * @param  float  $readingMs  spent on reading since the last receipt
     * @param  bool  $whole  whether the whole table is being read anew
     */
    public function land(Batch $batch, float $readingMs, bool $whole): ?Receipt
    {
        $clock = hrtime(true);
        $batch = $this->treating->treat($batch, $whole);
        $this->treatingMs += (hrtime(true) - $clock) / 1e6;

        return $this->timed(fn (): ?Receipt => $this->delivery->land($batch, $this->recorder->run->id, SteadyClock::seconds()), $readingMs);
    }

    /** Lands what has been held back. */
    public function settle(): ?Receipt
    {
        return $this->timed($this->delivery->settle(...), 0.0);
    }

    /** @param  callable(): ?Receipt  $land */
    private function timed(callable $land, float $readingMs): ?Receipt
    {
        $clock = hrtime(true);
        $receipt = $land();
        $this->landingMs += (hrtime(true) - $clock) / 1e6;
        if ($receipt !== null) {
            $this->recorder->landed($receipt, $readingMs, $this->treatingMs, $this->landingMs, $this->treating->warned());
            $this->delivery->copied($receipt->sequence);
            $this->treatingMs = $this->landingMs = 0.0;
            $this->treating->landedAs($receipt->sequence);
        }

        return $receipt;
    }

    /** Says what the run's lookups took. */
    public function close(): void
    {
        $queries = $this->treating->lookups();
        if ($queries !== null) {
            $this->recorder->say("Lookups took {$queries} ".($queries === 1 ? 'query.' : 'queries.'));
        }
    }

    /**
     * Has the target asked about each record from here on, where it refused some for what they hold and those are to be set aside.
     *
     * @param  callable(LandedTable, string): ?SystemTrouble  $refuses  as TargetSystem::refuses() has it
     * @return bool whether that is a way to go on
     */
    public function tries(SystemTrouble $trouble, callable $refuses): bool
    {
        if (! $trouble->reason->concernsRecords() || ! $this->treating->mayTry()) {
            return false;
        }
        $this->treating->tries(new Trial($refuses(...)));
        $this->recorder->say('The target refuses a record; from here on it is asked about each, and those that it refuses are set aside. '.Unwritable::refused($trouble->getMessage())->message, 'caution');
        $this->begin();

        return true;
    }

    /**
     * Sends the records again that were asked for.
     *
     * @param  callable(): bool  $goesOn  asked between two batches
     */
    public function again(int $feedId, FeedDefinition $definition, Bounds $bounds, Lease $lease, OtherRow $other, callable $goesOn): void
    {
        while ($goesOn() && ($again = Again::some($feedId, $definition, $bounds, $lease, $this->treating->sequence(), fn (SetAside $record, array $raw): Apart|Unwritable|bool => $other->refuses($record, $raw) ?? $this->treating->again($raw))) !== null) {
            if ($again->lands()) {
                $this->timed(fn (): Receipt => $this->delivery->again($this->treating->takenAgain($this->delivery->position()->bare()), $this->recorder->run->id), 0.0);
            }
            $this->recorder->say($again->said());
        }
    }
}
