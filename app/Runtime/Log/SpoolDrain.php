<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\Log\Lsn;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Port\ChangeLanding;
use Lighterman\Core\Port\ChangeLog;

/** Lands one feed's changes from the spool, in order, whole source transactions at a time. */
final class SpoolDrain
{
    private const MOST_SECONDS = 2.0;

    private int $number = 0;

    /** @var callable(callable(): mixed): mixed */
    private $atTarget;

    /** @param  callable(callable(): mixed): mixed  $atTarget  turns the target's trouble into the feed's or the route's */
    public function __construct(
        private readonly Carrier $carrier,
        private readonly Carriers $carriers,
        private readonly ChangeLog $changeLog,
        private readonly ChangeLanding $landing,
        private readonly LogRecorder $recorder,
        private readonly string $sourceName,
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
        $carrier->isTreated() && $carrier->runs($this->recorder->run($carrier), $this->sourceName);
        $commits = [];
        $last = null;
        $all = 0;
        $started = hrtime(true);
        ($this->atTarget)(fn () => $this->landing->begin());
        foreach (Spool::rows($carrier->id, $reached) as [$commit, $entries]) {
            if ($last === null || $commit->lsn !== $last->lsn) {
                // Only between transactions, and soon enough for the source to hear from us in time.
                if ($all >= Batch::CHANGES || hrtime(true) - $started > self::MOST_SECONDS * 1e9) {
                    break;
                }
                $last = $commit;
                $commits[] = [$commit->at, 0];
            }
            $this->take($commit, $entries);
            $all += count($entries);
            $commits[count($commits) - 1][1] += count($entries);
        }
        if ($last === null) {
            $this->landing->rollback();

            return false;
        }
        $this->write();
        $position = $carrier->position->at(Lsn::text($last->lsn));
        $receipts = ($this->atTarget)(fn () => $this->landing->commit([$carrier->uid => $position], null, [$carrier->uid => $this->recorder->run($carrier)], $last->time(), [$carrier->uid => $carrier->kept()]));
        $now = SteadyClock::micros();
        $carrier->position = $position;
        $this->recorder->warned($carrier, $carrier->warned());
        $this->carriers->landedAs($carrier, $receipts[$carrier->uid]->sequence);
        $this->recorder->landed($carrier, $receipts[$carrier->uid]);
        $this->recorder->delivered($carrier, $commits, $now + $clock->ahead, 0.0, 0.0, (hrtime(true) - $started) / 1e6);
        $this->recorder->flush();
        Spool::landed($carrier->id, $last->lsn);

        return true;
    }

    /** @param  list<array<string, mixed>>  $entries */
    private function take(SourceCommit $commit, array $entries): void
    {
        foreach ($entries as $entry) {
            $entry['k'] === 'truncate' ? $this->truncate($commit, $entry['n']) : $this->carrier->take($this->carrier->fromEntry($entry), $commit);
        }
        $this->carrier->taken = 0;
        $this->number += count($entries);
        if ($this->number >= Batch::CHANGES) {
            $this->write();
        }
    }

    private function write(): void
    {
        $this->carriers->apply($this->carrier, $this->changeLog, $this->landing, $this->atTarget);
        $this->number = 0;
    }

    private function truncate(SourceCommit $commit, int $number): void
    {
        if ($this->carriers->empties($this->carrier, $commit)) {
            $this->write();
            ($this->atTarget)(fn () => $this->landing->truncate($this->carrier->uid, $commit, $number));
        }
    }
}
