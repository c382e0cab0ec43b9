<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\Log\Lsn;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Landing\Truncates;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Port\ChangeLanding;

/** Lands one feed's changes from the spool, in order, whole source transactions at a time. */
final class SpoolDrain
{
    private int $number = 0;

    /** @var callable(callable(): mixed): mixed */
    private $atTarget;

    /** @param  callable(callable(): mixed): mixed  $atTarget  turns the target's trouble into the feed's or the route's */
    public function __construct(
        private readonly Carrier $carrier,
        private readonly ChangeLanding $landing,
        private readonly LogRecorder $recorder,
        callable $atTarget,
    ) {
        $this->atTarget = $atTarget;
    }

    /** @return bool whether there was anything */
    public function some(ClockOffset $clock): bool
    {
        $carrier = $this->carrier;
        $reached = $carrier->position->place === null ? 0 : Lsn::parse($carrier->position->place);
        Spool::landed($carrier->id, $reached);
        $commits = [];
        $last = null;
        $all = 0;
        $started = hrtime(true);
        ($this->atTarget)(fn () => $this->landing->begin());
        while ($all < Batch::CHANGES && ($transaction = $this->transaction($reached)) !== null) {
            [$last, $changes] = $transaction;
            $commits[] = [$last->at, $changes];
            $all += $changes;
            $reached = $last->lsn;
        }
        if ($last === null) {
            $this->landing->rollback();

            return false;
        }
        $this->write();
        $position = $carrier->position->at(Lsn::text($last->lsn));
        $receipts = ($this->atTarget)(fn () => $this->landing->commit([$carrier->uid => $position], null, [$carrier->uid => $this->recorder->run($carrier)], $last->time()));
        $now = (int) (microtime(true) * 1e6);
        $carrier->position = $position;
        $this->recorder->landed($carrier, $receipts[$carrier->uid]);
        $this->recorder->delivered($carrier, $commits, $now + $clock->ahead, 0.0, 0.0, (hrtime(true) - $started) / 1e6);
        $this->recorder->flush();
        Spool::landed($carrier->id, $last->lsn);

        return true;
    }

    /** @return array{SourceCommit, int}|null the transaction taken out and its number of changes */
    private function transaction(int $after): ?array
    {
        $commit = null;
        $changes = 0;
        foreach (Spool::oldest($this->carrier->id, $after) as [$commit, $entries]) {
            foreach ($entries as $entry) {
                $entry['k'] === 'truncate' ? $this->truncate($commit, $entry['n']) : $this->carrier->take($this->carrier->fromEntry($entry), $commit);
            }
            $changes += count($entries);
            $this->number += count($entries);
            if ($this->number >= Batch::CHANGES) {
                $this->write();
            }
        }
        $this->carrier->taken = 0;

        return $commit === null ? null : [$commit, $changes];
    }

    private function write(): void
    {
        ($this->atTarget)(fn () => $this->landing->apply($this->carrier->uid, $this->carrier->plan));
        $this->carrier->plan->clear();
        $this->number = 0;
    }

    private function truncate(SourceCommit $commit, int $number): void
    {
        $decided = DB::table('feeds')->where('id', $this->carrier->id)->value('emptied');
        if ($this->carrier->definition->truncates === Truncates::Hold && $decided === null) {
            throw new SetApart($this->carrier, TableEmptied::at($this->carrier->definition->source, $commit->time()), 'held');
        }
        if ($decided !== 'keep') {
            $this->write();
            ($this->atTarget)(fn () => $this->landing->truncate($this->carrier->uid, $commit, $number));
        }
        DB::table('feeds')->where('id', $this->carrier->id)->update(['emptied' => null]);
    }
}
