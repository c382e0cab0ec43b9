<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use App\Models\Feed;
use App\Models\RouteLog;
use App\Runtime\Backoff;
use App\Runtime\FileJoining;
use App\Runtime\Systems;
use App\Runtime\Trouble;
use App\Support\HouseTime;
use Illuminate\Database\QueryException;
use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\Log\Begin;
use Lighterman\Core\Capture\Log\Commit;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Lsn;
use Lighterman\Core\Capture\Log\Mark;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Capture\Log\Truncated;
use Lighterman\Core\Capture\Log\Unclear;
use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Port\ChangeLanding;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Port\FeedRefused;
use Lighterman\Core\Port\JoinedFiles;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\LoadChunk;
use Lighterman\Core\Port\LogReader;
use Lighterman\Core\Port\SystemTrouble;
use Lighterman\Core\Position\Position;

/**
 * One reading of a route's log, from its place in the target on.
 *
 * Source transactions are gathered into a batch and landed together, never less than a whole one; one that is too large
 * for memory is written in parts within one transaction of the target. The source is told to forget its log only when
 * what it held stands in the target, or in the spool, and in Lighterman's own database.
 */
final class LogReading
{
    /** How long a transaction may wait for others to land with it, when the last commit is as recent. */
    private const LINGER = 0.1;

    /** How long a batch may stay open while the log keeps bringing more without a pause. */
    private const LONGEST = 1.0;

    private const BEAT_SECONDS = 2.0;

    /** Loads that go on at the same time, and bytes of their chunks held together. */
    private const WINDOWS = 16;

    private const WINDOW_BYTES = 4 << 20;

    private const REMEMBERED = 5000;

    private const CHUNK_BYTES = 3 << 20;

    private const CHUNK_ROWS = 20_000;

    private ?ChangeLanding $landing = null;

    private ?LogReader $reader = null;

    private readonly LogRecorder $recorder;

    private readonly Carriers $carriers;

    private readonly Spool $spool;

    private Batch $batch;

    private ?SourceCommit $commit = null;

    private int $number = 0;

    /** @var array<int, Carrier> that the transaction being read changes */
    private array $changed = [];

    /** Place up to which everything is in the target or in the spool. */
    private int $closedTo = 0;

    private int $confirmedTo = 0;

    private float $closedAt = 0.0;

    private float $tickedAt = 0.0;

    private float $renewedAt = 0.0;

    private float $beatAt = 0.0;

    private float $stateAt = 0.0;

    private float $prunedAt = 0.0;

    private float $gapsAt = 0.0;

    /** Number of the mark written last to learn that the log has been read up to it; null before the first. */
    private ?int $beat = null;

    /** Whether the log has brought that mark. */
    private bool $beatCame = false;

    /** Commit time of the last transaction that has landed or had nothing to land, microseconds. */
    private int $completeAt = 0;

    private bool $caughtUp = false;

    /** @var array<int, true> the transactions read last */
    private array $delivered = [];

    private ClockOffset $clock;

    /** Whether this reading only fills the spool. */
    public bool $spooled = false;

    private bool $finished = false;

    /** @var callable(): bool */
    private $stopping;

    /** @param  callable(): bool  $stopping */
    public function __construct(
        private readonly RouteLog $log,
        private readonly LogLease $lease,
        private readonly LogLeases $leases,
        private readonly ChangeLog $changeLog,
        private readonly Systems $systems,
        callable $stopping,
        private readonly bool $drain,
    ) {
        $this->stopping = $stopping;
        $this->recorder = new LogRecorder($lease);
        $this->carriers = new Carriers($log, $this->recorder, $systems);
        $this->recorder->copied = fn (int $feedId, int $sequence) => $this->landing?->copied($this->carriers->uid($feedId), $sequence);
        $this->spool = new Spool;
        $this->batch = new Batch;
    }

    /**
     * @param  bool  $spoolOnly  puts everything into the spool until the target can be reached again
     * @return bool whether there is nothing more to do for this route
     */
    public function read(bool $spoolOnly): bool
    {
        $this->spooled = $spoolOnly;
        if (! $spoolOnly) {
            $this->landing = $this->atTarget(fn (): ChangeLanding => $this->systems->target($this->log->route->target)->openChanges($this->log->uid, $this->lease->token, $this->stayAlive(...)));
        }
        // Only the target knows after which place the new log has to begin.
        if ($this->log->anew_asked && $this->landing !== null) {
            $this->carriers->beginAnew($this->changeLog);
        }
        if (! $this->sync()) {
            return true;
        }
        $this->open();
        while (! ($this->stopping)()) {
            if (SteadyClock::seconds() - $this->tickedAt >= 1.0 && $this->tick()) {
                return $this->finished;
            }
            if ($this->drain && $this->drained()) {
                return true;
            }
            $worked = $this->commit === null && ! $this->batch->pending() && ($this->drainOne() || $this->sendAgain() || $this->startLoads() || $this->joinFiles());
            $this->step($worked);
        }

        return true;
    }

    private function open(): void
    {
        $this->clock = $this->changeLog->clock();
        $from = max($this->landing?->position() ?? 0, (int) $this->log->read_to);
        // Of a transaction that was being read when a reader died, the spool may hold a part; it is read again whole.
        // Places of another capture are not comparable with these.
        DB::delete('DELETE FROM spool WHERE lsn >= ? AND feed_id IN (SELECT id FROM feeds WHERE route_id = ? AND capture = ?)', [$from, $this->log->route_id, $this->log->capture]);
        $this->reader = $this->changeLog->open($from);
        $this->closedTo = $this->confirmedTo = $from;
        $this->log->update(['standing' => $this->spooled ? 'spooling' : 'reading', 'failures' => 0, 'due_at' => now()] + ($this->spooled ? [] : ['trouble' => null]));
    }

    /** Takes one message, or sees to what waits while there is none. */
    private function step(bool $worked): void
    {
        $clock = hrtime(true);
        $waited = $this->reader()->waited();
        $message = $this->reader()->next($this->patience($worked));
        $this->batch->reading += (hrtime(true) - $clock) / 1e6 - ($this->reader()->waited() - $waited);
        if ($message === null) {
            $this->caughtUp = $this->commit === null;
            if ($this->commit === null && $this->batch->pending() && $this->lingered()) {
                $this->land();
            }

            return;
        }
        $clock = hrtime(true);
        match (true) {
            $message instanceof LoggedRow => $this->row($message),
            $message instanceof Begin => $this->begin($message),
            $message instanceof Commit => $this->commit($message),
            $message instanceof Relation => $this->carriers->describe($message, $this->changeLog),
            $message instanceof Unclear => $this->unclear($message),
            $message instanceof Truncated => $this->truncated($message),
            $message instanceof Mark => $this->mark($message),
        };
        $this->batch->treating += (hrtime(true) - $clock) / 1e6;
        if ($this->batch->full()) {
            $this->writePart();
        }
    }

    /** Milliseconds to wait for the next message. */
    private function patience(bool $worked): int
    {
        if ($this->commit !== null) {
            return 200;
        }
        if ($this->batch->pending()) {
            // However long a batch waits for more, leases and people's wishes are looked after meanwhile.
            return (int) min(200, max(0, ceil(($this->dueAt() - SteadyClock::seconds()) * 1000)));
        }

        return $worked ? 0 : 200;
    }

    private function lingered(): bool
    {
        return SteadyClock::seconds() >= $this->dueAt();
    }

    private function dueAt(): float
    {
        // The first transaction after a pause lands at once; in a busy time several share a commit.
        return max((float) $this->batch->since, $this->closedAt + max(self::LINGER, $this->pace()));
    }

    /** Seconds between two commits that the target asks for. Who waits for everything to land waits for nothing else. */
    private function pace(): float
    {
        return $this->drain || $this->landing === null ? 0.0 : $this->landing->pace();
    }

    private function begin(Begin $begin): void
    {
        $this->caughtUp = false;
        $this->commit = new SourceCommit($begin->lsn, $begin->committedAt);
        $this->number = 0;
        $this->delivered[$begin->xid] = true;
        if (count($this->delivered) > 2 * self::REMEMBERED) {
            // A transaction leaves the list of those that run moments after its commit, so older ones need not be known.
            $this->delivered = array_slice($this->delivered, -self::REMEMBERED, null, true);
        }
    }

    private function row(LoggedRow $row): void
    {
        $this->number++;
        $commit = $this->commit ?? throw new \LogicException('A change outside a transaction.');
        if ($row->at !== null && $row->at !== $commit->at) {
            $commit = $this->commit = new SourceCommit($commit->lsn, $row->at);
        }
        foreach ($this->carriers->of($row->relation) as $carrier) {
            $this->changed[$carrier->id] = $carrier;
            $this->runs($carrier);
            if ($carrier->apart) {
                $this->intoSpool($carrier, Carrier::entry($row, $this->number), $commit);
            } else {
                $this->carriers->guarded($carrier, fn () => $carrier->take($carrier->change($row, $this->number), $commit));
                if ($row->at !== null && ! $carrier->startsJournal()) {
                    $carrier->made($row->at);
                }
                $this->batch->held++;
                $this->batch->touched[$carrier->id] = $carrier;
            }
        }
        $this->batch->heldBytes += $this->reader()->size();
    }

    /** What is set aside, or stamped, names its run. */
    private function runs(Carrier $carrier): void
    {
        if ($carrier->isTreated() && ! isset($this->batch->touched[$carrier->id])) {
            $carrier->runs($this->recorder->run($carrier), $this->log->route->source->name);
        }
    }

    /** @param  array<string, mixed>  $entry */
    private function intoSpool(Carrier $carrier, array $entry, SourceCommit $commit): void
    {
        $carrier->spooling[] = $entry;
        if (count($carrier->spooling) >= Spool::PART) {
            $this->spool->add($carrier->id, $commit, $carrier->spooledParts++, $carrier->spooling);
            $carrier->spooling = [];
        }
    }

    private function truncated(Truncated $truncated): void
    {
        $this->number++;
        $commit = $this->commit ?? throw new \LogicException('A truncate outside a transaction.');
        foreach ($truncated->relations as $relation) {
            foreach ($this->carriers->of($relation) as $carrier) {
                $this->changed[$carrier->id] = $carrier;
                if ($carrier->apart) {
                    $this->intoSpool($carrier, ['k' => 'truncate', 'c' => [], 'b' => null, 'a' => null, 'n' => $this->number], $commit);

                    continue;
                }
                if ($this->carriers->empties($carrier, $commit)) {
                    $this->writePart();
                    $this->ensureBegun();
                    $this->atTarget(fn () => $this->landing()->truncate($carrier->uid, $commit, $this->number), $carrier);
                    if ($carrier->window !== null) {
                        $carrier->window->rows = [];
                    }
                }
                $carrier->taken++;
                $this->batch->touched[$carrier->id] = $carrier;
            }
        }
    }

    /** A change was made of which nothing can be told. */
    private function unclear(Unclear $unclear): void
    {
        foreach ($this->carriers->of($unclear->relation) as $carrier) {
            $this->carriers->loadAgain($carrier, $unclear->why);
        }
    }

    private function mark(Mark $mark): void
    {
        $said = json_decode($mark->content, true);
        if (! is_array($said) || ($said['log'] ?? null) !== $this->log->uid) {
            return;
        }
        if (isset($said['beat'])) {
            $this->beatCame = $this->beatCame || $said['beat'] === $this->beat;
            $this->carriers->markCame((int) $said['beat']);

            return;
        }
        $carrier = $this->carriers->withWindow((int) ($said['chunk'] ?? 0));
        if ($carrier === null || $carrier->window === null) {
            return;
        }
        if (isset($said['low'])) {
            foreach (array_keys($this->delivered) as $transaction) {
                // It is committed in the log, yet the snapshot could not see it: what the chunk read may be older.
                if (! $carrier->window->chunk->saw($transaction)) {
                    $carrier->window = null;

                    return;
                }
            }
            $this->carriers->settleStart($carrier, $this->changeLog);
            $carrier->window->opened = $this->commit->lsn ?? $mark->lsn;

            return;
        }
        $this->carriers->settleStart($carrier, $this->changeLog);
        $this->landChunk($carrier, $carrier->window);
    }

    private function landChunk(Carrier $carrier, Window $window): void
    {
        $carrier->window = null;
        if ($window->opened === 0) {
            return;
        }
        $at = new SourceCommit($window->opened, $window->chunk->at);
        $this->runs($carrier);
        $this->carriers->guarded($carrier, static function () use ($carrier, $window, $at): void {
            $carrier->expect($window->rows);
            $number = 0;
            foreach ($window->rows as $row) {
                $carrier->add(new Change('load', null, $row, $number++), $at);
            }
            foreach ($carrier->definition->landing === Landing::Append ? [] : $window->missing() as $key) {
                $carrier->add(new Change('delete', $carrier->keyed($key), null, $number++), $at);
            }
        });
        $this->batch->held += count($window->rows);
        $this->batch->heldBytes += $window->chunk->bytes;
        $this->batch->chunks[$carrier->id] = $window;
        $this->batch->touched[$carrier->id] = $carrier;
    }

    private function commit(Commit $commit): void
    {
        foreach ($this->changed as $carrier) {
            if ($carrier->spooling !== [] && $this->commit !== null) {
                $this->spool->add($carrier->id, $this->commit, $carrier->spooledParts, $carrier->spooling);
            }
            $carrier->spooling = [];
            $carrier->spooledParts = 0;
            $carrier->committed($commit->committedAt);
        }
        $this->commit = null;
        $this->changed = [];
        $this->batch->to = $commit->end;
        $this->batch->committedAt = $commit->committedAt;
        if (! $this->batch->pending()) {
            $this->closedTo = $commit->end;
            $this->completeAt = $commit->committedAt;

            return;
        }
        $this->batch->since ??= SteadyClock::seconds();
        if ($this->batch->chunks !== [] || (SteadyClock::seconds() - $this->batch->since > self::LONGEST && $this->lingered())) {
            $this->land();
        }
    }

    /** Writes what is held, without a commit. */
    private function writePart(): void
    {
        if ($this->batch->held === 0) {
            return;
        }
        $this->ensureBegun();
        $clock = hrtime(true);
        foreach ($this->batch->touched as $carrier) {
            $this->carriers->apply($carrier, $this->changeLog, $this->landing(), $this->atTarget(...));
        }
        $this->batch->held = $this->batch->heldBytes = 0;
        $this->batch->landing += (hrtime(true) - $clock) / 1e6;
        $this->leases->renew($this->lease);
    }

    private function ensureBegun(): void
    {
        if (! $this->batch->begun) {
            $this->atTarget(fn () => $this->landing()->begin());
            $this->batch->begun = true;
        }
    }

    /** Lands the batch: everything since the last commit, in one transaction of the target. */
    private function land(): void
    {
        $batch = $this->batch;
        $this->writePart();
        $this->ensureBegun();
        $clock = hrtime(true);
        $positions = $runs = $kept = [];
        foreach ($batch->touched as $carrier) {
            $window = $batch->chunks[$carrier->id] ?? null;
            if ($window !== null && $window->asked === null && $window->chunk->last && $carrier->slice->isWhole()) {
                $this->atTarget(fn () => $this->landing()->sweep($carrier->uid, new SourceCommit($window->opened, $window->chunk->at)), $carrier);
            }
            $runs[$carrier->uid] = $this->recorder->run($carrier);
            $positions[$carrier->uid] = $this->positionOf($carrier, $batch);
            $kept[$carrier->uid] = $carrier->kept();
        }
        $sourceTime = SourceCommit::timeAt($batch->committedAt);
        // What others have in the spool must be safe before the route's place moves past it.
        $this->spool->flush();
        $receipts = $this->atTarget(fn () => $this->landing()->commit($positions, $batch->to, $runs, $sourceTime, $kept));
        $now = SteadyClock::micros() + $this->clock->ahead;
        $batch->landing += (hrtime(true) - $clock) / 1e6;
        $all = max(1, array_sum(array_map(static fn (array $c): int => array_sum(array_column($c, 1)), array_map(static fn (Carrier $c): array => $c->commits, $batch->touched))));
        foreach ($batch->touched as $carrier) {
            $carrier->position = $receipts[$carrier->uid]->to;
            $this->recorder->warned($carrier, $carrier->warned());
            $this->carriers->landedAs($carrier, $receipts[$carrier->uid]->sequence);
            $this->recorder->landed($carrier, $receipts[$carrier->uid]);
            $share = array_sum(array_column($carrier->commits, 1)) / $all;
            $this->recorder->delivered($carrier, $carrier->commits, $now, $batch->reading * $share, $batch->treating * $share, $batch->landing * $share);
            $carrier->commits = [];
            if (isset($batch->chunks[$carrier->id])) {
                $this->carriers->progress($carrier, $batch->chunks[$carrier->id], $receipts[$carrier->uid]);
                $this->carriers->lookAgain();
            }
        }
        $this->closedTo = $batch->to;
        $this->completeAt = $batch->committedAt;
        $this->closedAt = SteadyClock::seconds();
        $this->batch = new Batch;
    }

    private function positionOf(Carrier $carrier, Batch $batch): Position
    {
        $place = Lsn::text($batch->to);
        $window = $batch->chunks[$carrier->id] ?? null;
        if ($window !== null && $window->asked === null) {
            return $window->chunk->last ? Position::log($place) : Position::logLoading($place, $window->lastKey ?? $carrier->position->key);
        }

        return $carrier->position->at($place);
    }

    /** Lands what a feed that was apart has in the spool. @return bool whether there was any */
    private function drainOne(): bool
    {
        if ($this->landing === null) {
            return false;
        }
        $carrier = $this->carriers->drainable();
        if ($carrier === null) {
            return false;
        }
        $this->spool->flush();
        $drain = new SpoolDrain($carrier, $this->carriers, $this->changeLog, $this->landing, $this->recorder, $this->log->route->source->name, fn (callable $do): mixed => $this->atTarget($do, $carrier));
        if (! $this->carriers->guarded($carrier, fn (): bool => $drain->some($this->clock))) {
            $carrier->apart = false;
            $this->carriers->lookAgain();
            // What was to wait for that begins now.
            $this->tickedAt = 0.0;
        }

        return true;
    }

    /** Lands what a feed had set aside and somebody asked to be sent again. @return bool whether there was any */
    private function sendAgain(): bool
    {
        if ($this->landing === null || ($carrier = $this->carriers->sendable()) === null) {
            return false;
        }
        $carrier->runs($this->recorder->run($carrier), $this->log->route->source->name);
        $again = new SendAgain($carrier, $this->carriers, $this->changeLog, $this->landing, $this->recorder, fn (callable $do): mixed => $this->atTarget($do, $carrier));
        $this->carriers->guarded($carrier, fn () => $again->some());

        return true;
    }

    /** Joins the small files of a feed for which somebody asked that. @return bool whether there was one */
    private function joinFiles(): bool
    {
        if ($this->landing === null || ($carrier = $this->carriers->joinable()) === null) {
            return false;
        }
        FileJoining::run(Feed::findOrFail($carrier->id), $this->lease->worker, fn (): ?JoinedFiles => $this->landing()->join($carrier->uid));
        $carrier->joins = false;

        return true;
    }

    /** @return bool whether a chunk was asked for */
    private function startLoads(): bool
    {
        $started = false;
        foreach ($this->carriers->wantingChunk(self::WINDOWS) as $carrier) {
            if ($this->carriers->windowBytes() > self::WINDOW_BYTES) {
                break;
            }
            $number = self::number();
            $this->changeLog->mark($this->said(['chunk' => $number, 'low' => true]), after: false);
            [$slice, $asked] = $this->carriers->nextSlice($carrier);
            $chunk = $this->carriers->atSource($carrier, fn (): LoadChunk => $this->changeLog->chunk($carrier->definition, $slice, $asked === null ? $carrier->chunkRows : count($asked)));
            if ($this->changeLog->lingering($chunk->unseen)) {
                continue;
            }
            $carrier->window = new Window($number, $chunk, $carrier->key, $asked);
            $asked !== null || $this->carriers->sized($carrier, $chunk, self::CHUNK_ROWS, self::CHUNK_BYTES);
            $this->changeLog->mark($this->said(['chunk' => $number, 'high' => true]), after: true);
            $started = true;
        }

        return $started;
    }

    /** Marks of a reader that died may still be in the log, so numbers must not repeat. */
    private static function number(): int
    {
        return random_int(1, PHP_INT_MAX);
    }

    /** @param  array<string, mixed>  $what */
    private function said(array $what): string
    {
        return json_encode(['log' => $this->log->uid] + $what, JSON_THROW_ON_ERROR);
    }

    /**
     * What has to be seen to every second, between two transactions.
     *
     * @return bool whether the reading ends
     */
    private function tick(): bool
    {
        $this->stayAlive();
        if ($this->commit !== null) {
            // As soon as it is over; transactions may follow each other so closely that one is always open at the full second.
            return false;
        }
        if ($this->batch->pending()) {
            // What a batch holds belongs to the feeds as they were when it began.
            $this->land();
        }
        $this->finished = ! $this->sync();
        $this->measure();
        $this->save();
        $this->beat();
        // A second of reading follows, however long the landing took.
        $this->tickedAt = SteadyClock::seconds();

        return $this->finished || ($this->spooled && $this->targetIsBack());
    }

    private function targetIsBack(): bool
    {
        try {
            $this->systems->forget();
            $this->systems->target($this->log->route->target)->openChanges($this->log->uid, $this->lease->token)->close();
        } catch (SystemTrouble) {
            return false;
        }
        $this->spooled = false;

        return true;
    }

    /** Copies what landed, then lets the source forget it. */
    private function save(): void
    {
        $to = $this->closedTo;
        $complete = $this->completeUpTo();
        $this->spool->flush();
        $this->recorder->flush(function () use ($to, $complete): void {
            $this->carriers->completeUpTo($complete);
            DB::update('UPDATE route_logs SET read_to = greatest(read_to, ?), complete_up_to = greatest(complete_up_to, ?::timestamptz), updated_at = now() WHERE id = ?', [$to, $complete, $this->log->id]);
        });
        if ($to > $this->confirmedTo || $this->reader()->silence() > 10) {
            $this->confirmedTo = max($to, $this->confirmedTo);
            $this->reader()->confirm($this->confirmedTo);
        }
    }

    /** ISO 8601, on the source's clock; null while nothing is known. */
    private function completeUpTo(): ?string
    {
        if ($this->caughtUp && ! $this->batch->pending() && $this->beatCame) {
            return SourceCommit::timeAt(SteadyClock::micros() + $this->clock->ahead);
        }

        return $this->completeAt === 0 ? null : SourceCommit::timeAt($this->completeAt);
    }

    private function beat(): void
    {
        if (SteadyClock::seconds() - $this->beatAt >= self::BEAT_SECONDS && ($this->beat === null || $this->beatCame)) {
            $this->beatAt = SteadyClock::seconds();
            $this->beat = self::number();
            $this->beatCame = false;
            $this->carriers->marked($this->beat);
            $this->changeLog->mark($this->said(['beat' => $this->beat]), after: true);
        }
    }

    private function measure(): void
    {
        $gaps = (int) config('lighterman.gap_seconds');
        if (SteadyClock::seconds() - $this->stateAt < min(5, $gaps)) {
            return;
        }
        $this->stateAt = SteadyClock::seconds();
        if ($this->stateAt - $this->prunedAt > 3600) {
            $this->prunedAt = $this->stateAt;
            $this->atTarget(fn () => $this->landing?->forgetReceipts((int) config('lighterman.keep.receipts_days')));
        }
        HouseTime::takeFrom(DB::connection());
        $this->clock = $this->changeLog->clock();
        $state = $this->changeLog->required();
        if ($this->stateAt - $this->gapsAt >= $gaps) {
            $this->gapsAt = $this->stateAt;
            $this->atTarget(fn () => $this->landing?->demandKept($this->carriers->landing()));
            $this->carriers->lookForGaps($this->changeLog);
        }
        $this->log->update(['retained_bytes' => $state->retained, 'waiting_bytes' => max(0, $state->end - $this->closedTo), 'clock_ahead_us' => $this->clock->ahead, 'clock_uncertain_us' => $this->clock->uncertain]);
        if ($this->log->drop_bytes !== null && $state->retained > $this->log->drop_bytes) {
            $this->reader?->close();
            $this->changeLog->remove();
            throw SystemTrouble::lasting('log_limit', "The source kept {$state->retained} bytes of log for this route, more than the {$this->log->drop_bytes} allowed, so what keeps it was removed as you chose.", 'Begin anew on the route\'s page once the target keeps up: it is made again, and every table is loaded again beside its changes.');
        }
    }

    /** Brings the feeds up to what people have changed. @return bool false when the route carries nothing by its log any more */
    private function sync(): bool
    {
        // A feed that is taken in anew looks in the spool whether anything waits for it.
        $this->spool->flush();

        return $this->carriers->sync($this->changeLog, $this->landing === null ? null : $this->landing(), function (callable $do, ?Carrier $c = null): mixed {
            $this->stayAlive();

            return $this->atTarget($do, $c);
        });
    }

    /** Taking in hundreds of feeds takes longer than a lease lasts. */
    private function stayAlive(): void
    {
        if (SteadyClock::seconds() - $this->renewedAt > 1) {
            $this->renewedAt = SteadyClock::seconds();
            $this->leases->renew($this->lease);
        }
    }

    private function drained(): bool
    {
        if ($this->batch->pending() || $this->commit !== null || $this->carriers->busy() || $this->carriers->joinable() !== null) {
            return false;
        }
        if ($this->beat === null) {
            $this->beat();
        }
        if (! $this->beatCame) {
            return false;
        }
        $this->save();

        return true;
    }

    /**
     * @template T
     *
     * @param  callable(): T  $do
     * @return T
     */
    private function atTarget(callable $do, ?Carrier $carrier = null): mixed
    {
        try {
            return $do();
        } catch (FeedRefused $refused) {
            throw new SetApart($this->carriers->named($refused->feed), $refused->trouble, 'failed');
        } catch (SystemTrouble $trouble) {
            throw $carrier !== null && ! $trouble->mayPass() ? new SetApart($carrier, $trouble, 'failed') : new TargetAway($trouble);
        }
    }

    /** Has one feed go on by itself from here: its changes go to the spool. */
    public function setApart(SetApart $apart): void
    {
        $feed = Feed::find($apart->carrier->id);
        if ($feed === null) {
            return;
        }
        $this->recorder->fail($apart->carrier, $apart->standing, $apart->trouble);
        $failures = $feed->failures + 1;
        $feed->update(['standing' => $apart->standing, 'trouble' => Trouble::told($apart->trouble), 'failures' => $failures, 'due_at' => $apart->standing === 'failed' && $apart->trouble->mayPass() ? now()->addSeconds(Backoff::seconds($failures)) : null]);
    }

    public function close(): void
    {
        try {
            $this->landing?->rollback();
            $this->spool->flush();
            $this->recorder->flush();
            $this->recorder->endAll('done');
        } catch (QueryException|LeaseLost) {
            // Our own database is away, or another worker's by now; what landed is copied from the target.
        } finally {
            // It holds this reading, and with it the connections of both sides.
            $this->recorder->copied = null;
            $this->landing?->close();
            $this->reader?->close();
        }
    }

    private function landing(): ChangeLanding
    {
        return $this->landing ?? throw new \LogicException('Nothing can be landed while only the spool is filled.');
    }

    private function reader(): LogReader
    {
        return $this->reader ?? throw new \LogicException('The log is not open.');
    }
}
