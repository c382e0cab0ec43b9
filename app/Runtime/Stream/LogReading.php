<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use App\Models\RouteLog;
use App\Runtime\Common\Systems;
use App\Runtime\Work\Lease;
use App\Runtime\Work\Leases;
use Illuminate\Database\QueryException;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\Log\Begin;
use Lighterman\Core\Capture\Log\Commit;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Mark;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Capture\Log\Truncated;
use Lighterman\Core\Capture\Log\Unclear;
use Lighterman\Core\Carrying\ReadUpTo;
use Lighterman\Core\Carrying\Roster;
use Lighterman\Core\Carrying\SetApart;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\LogReader;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * One reading of a route's changes, from its place in the target on.
 *
 * The source is told to forget its log only when what it held stands in the target, or in the spool, and in Lighterman's own
 * database.
 */
final class LogReading
{
    private readonly RouteStream $stream;

    private readonly Refusals $refusals;

    private readonly Loads $loads;

    private readonly Recording $recording;

    private readonly Intake $intake;

    private readonly Marks $marks;

    private readonly Spool $spool;

    private ?LandingSession $target = null;

    private ?LogReader $reader = null;

    private float $renewedAt = 0.0;

    /** @var callable(): bool */
    private $stopping;

    /**
     * @param  callable(): bool  $stopping  whether this process was asked to stop
     * @param  bool  $drain  ends once everything committed before has landed
     */
    public function __construct(
        private readonly RouteLog $log,
        private readonly Lease $lease,
        private readonly Leases $leases,
        ChangeLog $changes,
        private readonly Systems $systems,
        callable $stopping,
        private readonly bool $drain,
    ) {
        $this->stopping = $stopping;
        $recorder = new LogRecorder($lease);
        $this->stream = new RouteStream($log, $changes, $systems, $recorder, new Roster, $lease);
        $recorder->copied = fn (int $feedId, int $sequence) => $this->target?->copied($this->stream->roster->uid($feedId), $sequence);
        $this->refusals = new Refusals($this->stream);
        $this->loads = new Loads($this->stream);
        $this->recording = new Recording($this->stream, $this->refusals, $this->loads);
        $this->intake = new Intake($this->stream, $this->refusals, $this->recording, $this->loads);
        $this->marks = new Marks($this->stream);
        $this->spool = new Spool;
    }

    /**
     * @param  bool  $spoolOnly  puts everything into the spool until the target can be reached again
     * @return bool whether there is nothing more to do for this route
     *
     * @throws SetApart|TargetAway|LeaseLost|SystemTrouble
     */
    public function read(bool &$spoolOnly): bool
    {
        if (! $spoolOnly) {
            $this->target = $this->refusals->atTarget($this->openTarget(...));
        }
        // Only the target knows after which place the new log has to begin.
        if ($this->log->anew_asked && $this->target !== null) {
            $this->intake->beginAnew();
        }
        if (! $this->sync()) {
            return true;
        }
        $landings = $this->target === null ? null : new Landings($this->stream, $this->refusals, $this->recording, $this->loads, $this->target);
        $read = $this->open($spoolOnly);
        $delivery = new Delivery($this->stream, $this->refusals, $this->loads, $landings, $this->spool, $read, $this->stream->changes->clock());
        $beside = $landings === null ? null : new Beside($this->stream, $this->recording, $this->refusals, $this->loads, $landings, $delivery, $this->marks, $this->lease->worker);
        $upkeep = new Upkeep($this->stream, $this->recording, $this->refusals, $delivery, $read, $this->marks, $this->spool, $this->reader());
        while (! ($this->stopping)()) {
            if ($this->marks->isTime()) {
                $this->stayAlive();
                // As soon as it is over; transactions may follow each other so closely that one is always open at the full second.
                if (! $delivery->isOpen()) {
                    // What a batch holds belongs to the feeds as they were when it began.
                    $delivery->batch()->pending() && $delivery->land();
                    $goesOn = true;
                    $delivery->stays(function () use (&$goesOn): void {
                        $goesOn = $this->sync();
                    });
                    if (! $goesOn) {
                        return true;
                    }
                    $delivery->stays(fn () => $upkeep->measure($this->target));
                    $upkeep->save();
                    $this->marks->beat();
                    $this->marks->later();
                    if ($spoolOnly && $this->targetIsBack($spoolOnly)) {
                        return false;
                    }
                }
            }
            if ($this->drain && $delivery->isIdle() && ! $this->stream->roster->busy() && $this->stream->roster->joinable() === null && $upkeep->everythingCame()) {
                return true;
            }
            $worked = $delivery->isIdle() && $beside !== null && $beside->any();
            $this->step($delivery, $landings, $read, $worked);
        }

        return true;
    }

    private function openTarget(): LandingSession
    {
        return $this->systems->target($this->log->route->target)->landing(Holder::route($this->log->uid, $this->lease->token, $this->stayAlive(...)));
    }

    private function open(bool $spoolOnly): ReadUpTo
    {
        $changes = $this->stream->changes;
        $landed = $this->target?->position();
        $from = self::further($landed === null ? null : $changes->place($landed), $this->log->read_to === null ? null : $changes->place($this->log->read_to));
        // Of a transaction that was being read when a reader died, the spool may hold a part; it is read again whole.
        Spool::forgetAfter($this->log, $from, $changes);
        $this->reader = $changes->open($from);
        $this->log->update(['standing' => $spoolOnly ? 'spooling' : 'reading', 'failures' => 0, 'due_at' => now()] + ($spoolOnly ? [] : ['trouble' => null]));

        return new ReadUpTo($from);
    }

    /** The one of two places that comes after the other. */
    private static function further(?Place $one, ?Place $other): ?Place
    {
        return $one === null || $other?->covers($one) ? $other : $one;
    }

    /** Takes one message, or sees to what waits while there is none. */
    private function step(Delivery $delivery, ?Landings $landings, ReadUpTo $read, bool $worked): void
    {
        $reader = $this->reader();
        $spent = $delivery->batch()->spent;
        $clock = hrtime(true);
        $waited = $reader->waited();
        $message = $reader->next($this->patience($delivery, $worked));
        $spent->reading += (hrtime(true) - $clock) / 1e6 - ($reader->waited() - $waited);
        if ($message === null) {
            $read->caughtUp = ! $delivery->isOpen();
            if (! $delivery->isOpen() && $delivery->batch()->pending() && SteadyClock::seconds() >= $delivery->dueAt($this->pace())) {
                $delivery->land();
            }

            return;
        }
        $clock = hrtime(true);
        if ($message instanceof LoggedRow) {
            $delivery->row($message, $reader->size());
        } elseif ($message instanceof Begin) {
            $read->caughtUp = false;
            $this->marks->delivered->add($message->xid);
            $delivery->begin($message);
        } elseif ($message instanceof Commit) {
            $delivery->commit($message);
        } elseif ($message instanceof Mark) {
            $this->marks->comes($message, $delivery, $landings);
        } elseif ($message instanceof Truncated) {
            $delivery->truncated($message);
        } else {
            $this->told($message, $delivery);
        }
        $spent->treating += (hrtime(true) - $clock) / 1e6;
        if ($delivery->batch()->full()) {
            $delivery->isOpen() ? $delivery->stays($delivery->writePart(...)) : $delivery->land();
            $this->stayAlive();
        }
    }

    private function told(Relation|Unclear $message, Delivery $delivery): void
    {
        foreach ($this->stream->roster->of($message instanceof Relation ? $message : $message->relation) as $carrier) {
            $message instanceof Relation ? $delivery->stays(fn () => $this->recording->describe($carrier, $message), $carrier) : $this->loads->again($carrier, $message->why);
        }
        $message instanceof Relation && $this->recording->described($message);
    }

    /** Milliseconds to wait for the next message. */
    private function patience(Delivery $delivery, bool $worked): int
    {
        if (! $delivery->isOpen() && $delivery->batch()->pending()) {
            // However long a batch waits for more, leases and people's wishes are looked after meanwhile.
            return (int) min(200, max(0, ceil(($delivery->dueAt($this->pace()) - SteadyClock::seconds()) * 1000)));
        }

        return $worked ? 0 : 200;
    }

    /** Seconds between two commits that the target asks for. Who waits for everything to land waits for nothing else. */
    private function pace(): float
    {
        return $this->drain || $this->target === null ? 0.0 : $this->target->pace();
    }

    private function targetIsBack(bool &$spoolOnly): bool
    {
        try {
            $this->systems->forget();
            $this->openTarget()->close();
        } catch (SystemTrouble) {
            return false;
        }
        $spoolOnly = false;

        return true;
    }

    /** Brings the feeds up to what people have changed. @return bool false when nothing is carried like this any more */
    private function sync(): bool
    {
        // A feed that is taken in anew looks in the spool whether anything waits for it.
        $this->spool->flush();

        return $this->intake->sync($this->target, $this->stayAlive(...));
    }

    private function stayAlive(): void
    {
        if (SteadyClock::seconds() - $this->renewedAt > 1) {
            $this->renewedAt = SteadyClock::seconds();
            $this->leases->renew($this->lease);
        }
    }

    /** Has one feed go on by itself from here: its changes go to the spool. */
    public function setApart(SetApart $apart): void
    {
        $this->refusals->setApart($apart);
    }

    public function close(): void
    {
        try {
            $this->target?->rollback();
            $this->spool->flush();
            $this->stream->recorder->flush();
            $this->stream->recorder->endAll('done');
        } catch (QueryException|LeaseLost) {
            // Our own database is away, or another worker's by now; what landed is copied from the target.
        } finally {
            // It holds this reading, and with it the connections of both sides.
            $this->stream->recorder->copied = null;
            $this->target?->close();
            $this->target = null;
            $this->reader?->close();
        }
    }

    private function reader(): LogReader
    {
        return $this->reader ?? throw new \LogicException('The log is not open.');
    }
}
