<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\Log\Begin;
use Lighterman\Core\Capture\Log\Commit;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Truncated;
use Lighterman\Core\Carrying\Batch;
use Lighterman\Core\Carrying\Carrier;
use Lighterman\Core\Carrying\Lingering;
use Lighterman\Core\Carrying\ReadUpTo;
use Lighterman\Core\Carrying\SetApart;
use Lighterman\Core\Carrying\SpooledChange;
use Lighterman\Core\Carrying\Window;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\StreamPosition;
use LogicException;
use Throwable;

/**
 * Gathers source transactions into batches and lands each in one transaction of the target, never less than a whole one; one
 * that is too large for memory is written in parts. A feed that cannot go on leaves the batch, and its changes go to the
 * spool, without the others having to be read again.
 */
final class Delivery
{
    private Batch $batch;

    private readonly Lingering $lingering;

    /** The transaction being read; null between two. */
    private ?SourceCommit $commit = null;

    /** Changes of the transaction being read so far. */
    private int $number = 0;

    /** @var array<int, Carrier> that the transaction being read changes */
    private array $changed = [];

    /** @param  Landings|null  $landings  null while only the spool is filled */
    public function __construct(
        private readonly RouteStream $stream,
        private readonly Refusals $refusals,
        private readonly Loads $loads,
        private readonly ?Landings $landings,
        private readonly Spool $spool,
        private readonly ReadUpTo $read,
        public ClockOffset $clock,
    ) {
        $this->batch = new Batch;
        $this->lingering = new Lingering;
    }

    public function batch(): Batch
    {
        return $this->batch;
    }

    /** The place of the transaction being read; null between two. */
    public function openAt(): ?Place
    {
        return $this->commit?->place;
    }

    public function isOpen(): bool
    {
        return $this->commit !== null;
    }

    /** Whether nothing has been taken that has yet to land. */
    public function isIdle(): bool
    {
        return $this->commit === null && ! $this->batch->pending();
    }

    /** @param  float  $pace  seconds between two commits that the target asks for */
    public function dueAt(float $pace): float
    {
        return $this->lingering->dueAt($this->batch->since, $pace);
    }

    public function flushSpool(): void
    {
        $this->spool->flush();
    }

    public function begin(Begin $begin): void
    {
        $this->commit = new SourceCommit($begin->place, $begin->committedAt);
        $this->number = 0;
    }

    /** @param  int  $bytes  of the message */
    public function row(LoggedRow $row, int $bytes): void
    {
        $this->number++;
        $commit = $this->commit ?? throw new LogicException('A change outside a transaction.');
        if ($row->at !== null && $row->at !== $commit->at) {
            $commit = $this->commit = new SourceCommit($commit->place, $row->at);
        }
        foreach ($this->stream->roster->of($row->relation) as $carrier) {
            if ($carrier->hasYetToBegin()) {
                continue;
            }
            $this->changed[$carrier->feed->id] = $carrier;
            if ($carrier->spools() || ! $this->takes($carrier, $row, $commit)) {
                $this->intoSpool($carrier, SpooledChange::row($row, $this->number), $commit);
            }
        }
        $this->batch->weighs($bytes);
    }

    /** As stays() does it; without handing over what to do, since it is done for every change. */
    private function takes(Carrier $carrier, LoggedRow $row, SourceCommit $commit): bool
    {
        try {
            $this->take($carrier, $row, $commit);

            return true;
        } catch (SetApart $apart) {
            return $this->leaves($apart, $carrier);
        }
    }

    private function take(Carrier $carrier, LoggedRow $row, SourceCommit $commit): void
    {
        $this->batch->touches($carrier) || $this->landings()->runs($carrier);
        try {
            $carrier->take($carrier->change($row, $this->number), $commit);
        } catch (Throwable $e) {
            throw Refusals::apart($carrier, $e);
        }
        if ($row->at !== null && ! $carrier->startsJournal()) {
            $carrier->times->made($row->at);
        }
        $this->batch->took($carrier, $commit, $this->stream->roster->isSole() ? null : SpooledChange::row($row, $this->number));
    }

    public function truncated(Truncated $truncated): void
    {
        $this->number++;
        $commit = $this->commit ?? throw new LogicException('A truncate outside a transaction.');
        foreach ($truncated->relations as $relation) {
            foreach ($this->stream->roster->of($relation) as $carrier) {
                if ($carrier->hasYetToBegin()) {
                    continue;
                }
                $this->changed[$carrier->feed->id] = $carrier;
                if ($carrier->spools() || ! $this->stays(fn () => $this->empty($carrier, $commit), $carrier)) {
                    $this->intoSpool($carrier, SpooledChange::truncate($this->number), $commit);
                }
            }
        }
    }

    private function empty(Carrier $carrier, SourceCommit $commit): void
    {
        if ($this->landings()->truncate($carrier, $commit, $this->number, $this->writePart(...)) && $carrier->window !== null) {
            $carrier->window->rows = [];
        }
        $carrier->times->taken();
        $this->batch->touch($carrier);
    }

    private function intoSpool(Carrier $carrier, SpooledChange $change, SourceCommit $commit): void
    {
        $part = $carrier->spooling->add($change);
        $part === null || $this->spool->add($carrier->feed->id, $commit, ...$part);
    }

    private function endsSpooling(Carrier $carrier, SourceCommit $commit): void
    {
        $part = $carrier->spooling->end();
        $part === null || $this->spool->add($carrier->feed->id, $commit, ...$part);
    }

    /** Rows of a load whose marks have come. */
    public function chunk(Carrier $carrier, Window $window): void
    {
        $this->stays(function () use ($carrier, $window): void {
            $this->landings()->runs($carrier);
            if ($this->refusals->guarded($carrier, static fn (): bool => $carrier->takeChunk($window))) {
                $this->batch->tookChunk($carrier, $window);
            }
        }, $carrier);
    }

    public function commit(Commit $commit): void
    {
        foreach ($this->changed as $carrier) {
            $this->commit === null || $this->endsSpooling($carrier, $this->commit);
            $carrier->times->committed($commit->committedAt);
        }
        $this->commit = null;
        $this->changed = [];
        $this->batch->to = $commit->end;
        $this->batch->committedAt = $commit->committedAt;
        if (! $this->batch->pending()) {
            $this->read->closes($commit->end, $commit->committedAt);

            return;
        }
        $now = SteadyClock::seconds();
        $this->batch->since ??= $now;
        if ($this->batch->hasChunks() || ($this->lingering->isLong($this->batch->since, $now) && $now >= $this->dueAt(0.0))) {
            $this->land();
        }
    }

    /** Writes what is held, without a commit: the rest of the transaction is still to come. */
    public function writePart(): void
    {
        $this->write();
        $this->batch->wrotePart();
    }

    private function write(): void
    {
        $clock = hrtime(true);
        if (! $this->batch->begun) {
            $this->landings()->begin();
            $this->batch->begun = true;
        }
        if (! $this->batch->isEmpty()) {
            array_map($this->landings()->apply(...), $this->batch->touched());
        }
        $this->batch->spent->landing += (hrtime(true) - $clock) / 1e6;
    }

    /** Lands the batch: everything since the last commit, in one transaction of the target. */
    public function land(): void
    {
        for ($feeds = count($this->batch->touched()) + 1; $this->batch->pending() && ! $this->stays($this->landAll(...)); $feeds--) {
            $feeds > 1 || throw new LogicException('A feed that is not in a batch keeps it from landing.');
        }
        $this->read->closes($this->batch->to, $this->batch->committedAt);
        $this->lingering->landed(SteadyClock::seconds());
        $this->batch = new Batch;
    }

    private function landAll(): void
    {
        $batch = $this->batch;
        $this->write();
        $clock = hrtime(true);
        $arrivals = [];
        foreach ($batch->touched() as $carrier) {
            $window = $batch->chunkOf($carrier);
            if ($window?->opened !== null && $window->asked === null && $window->chunk->last && $carrier->load->slice->isWhole()) {
                $end = new SourceCommit($window->opened, $window->chunk->at);
                $this->refusals->atTarget(fn () => $this->landings()->target->sweep($carrier->feed->uid, $end), $carrier);
            }
            $arrivals[] = $this->landings()->arrival($carrier, $this->positionOf($carrier, $window));
        }
        // What others have in the spool must be safe before the route's place moves past it.
        $this->spool->flush();
        $receipts = $this->refusals->atTarget(fn () => $this->landings()->target->commit($arrivals, $batch->to, SourceCommit::timeAt($batch->committedAt)));
        $batch->spent->landing += (hrtime(true) - $clock) / 1e6;
        $all = max(1, array_sum(array_map(static fn (Carrier $c): int => $c->times->changes(), $batch->touched())));
        foreach ($batch->touched() as $carrier) {
            $window = $batch->chunkOf($carrier);
            $this->landings()->landed($carrier, $receipts[$carrier->feed->uid], $this->clock, $batch->spent->share($carrier->times->changes() / $all));
            if ($window !== null) {
                $this->loads->landed($carrier, $window, $receipts[$carrier->feed->uid], $this->clock);
                $this->stream->roster->lookAgain();
            }
        }
    }

    private function positionOf(Carrier $carrier, ?Window $window): Position
    {
        $place = $this->batch->to?->text() ?? throw new LogicException('A batch lands after a whole transaction.');
        if ($window !== null && $window->asked === null) {
            return $window->chunk->last ? StreamPosition::at($place) : StreamPosition::loading($place, $window->lastKey ?? $carrier->position->loadedTo());
        }

        return StreamPosition::after($carrier->position, $place);
    }

    /**
     * Does something for a feed, which leaves the others if that is refused.
     *
     * @param  callable(): mixed  $do
     * @param  Carrier|null  $of  null where it may be any
     * @return bool whether it was done
     *
     * @throws SetApart where everything has to be read again without it
     */
    public function stays(callable $do, ?Carrier $of = null): bool
    {
        try {
            $do();

            return true;
        } catch (SetApart $apart) {
            return $this->leaves($apart, $of);
        }
    }

    /** @return false */
    private function leaves(SetApart $apart, ?Carrier $of): bool
    {
        if ($of !== null && $apart->carrier !== $of) {
            throw $apart;
        }
        $this->leave($apart);

        return false;
    }

    private function leave(SetApart $apart): void
    {
        $carrier = $apart->carrier;
        // What was written of it in parts, or is not kept, can only be had from the stream.
        if ($this->landings === null || $this->batch->inParts || ! $carrier->admitted || ($this->stream->roster->isSole() && $this->batch->touches($carrier))) {
            throw $apart;
        }
        $this->landings->target->rollback();
        $this->batch->begun = false;
        $last = null;
        foreach ($this->batch->leave($carrier) as [$commit, $change]) {
            if ($last !== null && $last->place->text() !== $commit->place->text()) {
                $this->endsSpooling($carrier, $last);
            }
            $this->intoSpool($carrier, $change, $commit);
            $last = $commit;
        }
        // More of the transaction being read may follow.
        if ($last !== null && $last->place->text() !== $this->commit?->place->text()) {
            $this->endsSpooling($carrier, $last);
        }
        $this->stream->recorder->flush();
        $carrier->leaves($this->landings->target->sequence($carrier->feed->uid));
        $this->refusals->setApart($apart);
        $this->stream->roster->lookAgain();
    }

    private function landings(): Landings
    {
        return $this->landings ?? throw new LogicException('Nothing can be landed while only the spool is filled.');
    }
}
