<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use App\Models\Definition;
use App\Models\Feed;
use App\Models\RouteLog;
use App\Runtime\ShapeCheck;
use App\Runtime\ShapeMoved;
use App\Runtime\Systems;
use App\Runtime\Trouble;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Port\ChangeLanding;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Port\Explained;
use Lighterman\Core\Port\LoadChunk;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Port\SystemTrouble;
use Lighterman\Core\Port\TableName;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Treatment\TreatmentStopped;
use LogicException;

/** The feeds of a route while its log is read: which there are, which table each takes, what each is allowed to do. */
final class Carriers
{
    private const AGAIN = '{"again": true}';

    private const SECOND = ['second' => true];

    /** @var array<int, Carrier> */
    private array $carriers = [];

    /** @var array<string, int|null> rows by table, as the source estimated them when feeds were last taken in */
    private array $expected = [];

    /** @var array<int, Carrier>|null null when it has to be looked for again */
    private ?array $restless = null;

    /** @var array<int, Relation> as the log described them last, by number */
    private array $described = [];

    /** @var array<int, list<Carrier>> by number of the source's table */
    private array $byRelation = [];

    public function __construct(private readonly RouteLog $log, private readonly LogRecorder $recorder)
    {
    }

    /** @return list<Carrier> */
    public function of(Relation $relation): array
    {
        return $this->byRelation[$relation->id] ??= array_values(array_filter($this->carriers, static fn (Carrier $c): bool => (string) $c->definition->source === (string) $relation->table));
    }

    public function named(string $uid): Carrier
    {
        foreach ($this->carriers as $carrier) {
            if ($carrier->uid === $uid) {
                return $carrier;
            }
        }
        throw new LogicException("No feed {$uid} is carried by this log.");
    }

    /** The log describes a table: before its first change, and when its shape has moved. */
    public function describe(Relation $relation, SourceSystem $source): void
    {
        $before = $this->described[$relation->id] ?? $relation;
        $this->described[$relation->id] = $relation;
        foreach ($this->of($relation) as $carrier) {
            $carrier->forget($relation);
            // Names tell what came and went; a column that was given another type shows only against what was said before.
            if ($carrier->apart || ($carrier->fits($relation) && $before == $relation)) {
                continue;
            }
            try {
                ShapeCheck::agreed($source, $carrier->definition);
            } catch (Explained $trouble) {
                throw $trouble->mayPass() ? $trouble : new SetApart($carrier, $trouble, self::standingFor($trouble));
            }
        }
    }

    /** @return 'held'|'failed' a moved shape waits for a decision, anything else for a remedy */
    private static function standingFor(Explained $trouble): string
    {
        return $trouble instanceof ShapeMoved ? 'held' : 'failed';
    }

    /**
     * Those that load, or are apart: few or none most of the time, and looked through between any two transactions.
     *
     * @return array<int, Carrier>
     */
    private function restless(): array
    {
        return $this->restless ??= array_filter($this->carriers, static fn (Carrier $c): bool => $c->apart || $c->position->isLoading());
    }

    /** What a feed may do has changed. */
    public function lookAgain(): void
    {
        $this->restless = null;
    }

    /** Whether something is left that will end by itself: loads, or a spool that can be landed. */
    public function busy(): bool
    {
        return array_filter($this->restless(), static fn (Carrier $c): bool => ! $c->blocked && ($c->apart || $c->position->isLoading())) !== [];
    }

    public function drainable(): ?Carrier
    {
        foreach ($this->restless() as $carrier) {
            if ($carrier->apart && ! $carrier->blocked) {
                return $carrier;
            }
        }

        return null;
    }

    /** A feed with records that are to be sent again, and that may land. */
    public function sendable(): ?Carrier
    {
        foreach ($this->carriers as $carrier) {
            if ($carrier->again && ! $carrier->apart && ! $carrier->blocked) {
                return $carrier;
            }
        }

        return null;
    }

    /** A feed whose small files are to be joined. */
    public function joinable(): ?Carrier
    {
        foreach ($this->carriers as $carrier) {
            if ($carrier->joins) {
                return $carrier;
            }
        }

        return null;
    }

    public function withWindow(int $number): ?Carrier
    {
        foreach ($this->restless() as $carrier) {
            if ($carrier->window?->number === $number) {
                return $carrier;
            }
        }

        return null;
    }

    /** @return list<Carrier> */
    public function wantingChunk(int $atOnce): array
    {
        $loading = array_filter($this->restless(), static fn (Carrier $c): bool => ! $c->apart && $c->position->isLoading());
        $free = $atOnce - count(array_filter($loading, static fn (Carrier $c): bool => $c->window !== null));

        return $free <= 0 ? [] : array_slice(array_values(array_filter($loading, static fn (Carrier $c): bool => $c->window === null)), 0, $free);
    }

    public function windowBytes(): int
    {
        return array_sum(array_map(static fn (Carrier $c): int => $c->window->chunk->bytes ?? 0, $this->restless()));
    }

    /** Sizes the next chunk by the last one, so that none takes much memory however wide the rows are. */
    public function sized(Carrier $carrier, LoadChunk $chunk, int $mostRows, int $mostBytes): void
    {
        $width = $chunk->bytes / max(1, count($chunk->rows));
        $carrier->chunkRows = (int) max(1, min($mostRows, $carrier->chunkRows * 8, $mostBytes / max(1, $width)));
    }

    public function progress(Carrier $carrier, Window $window, Receipt $receipt): void
    {
        $feed = Feed::findOrFail($carrier->id);
        $before = $feed->progress ?? ['rows' => 0, 'of' => null, 'since' => microtime(true), 'sinceRows' => 0];
        if (! $window->chunk->last) {
            $feed->update(['progress' => ['rows' => $before['rows'] + count($window->chunk->rows)] + $before]);
        } elseif ($carrier->onceMore) {
            $carrier->onceMore = false;
            $carrier->secondTime = true;
            $feed->update(['reload' => self::SECOND, 'progress' => ['rows' => 0, 'since' => microtime(true)] + $before]);
            $this->recorder->say($carrier, 'Goes over the table once more: a row had moved to a key that the load had passed.');
        } else {
            $carrier->complete = true;
            $carrier->secondTime = false;
            $feed->update(['progress' => null, 'standing' => 'carried', 'complete_up_to' => $receipt->sourceTime, 'reload' => null]);
            $this->recorder->say($carrier, 'The load is complete; from here on the feed follows the log.');
        }
    }

    /**
     * A row that has not been loaded yet, and moves to a key the load has passed, could land only in part. It is written
     * down, before anything lands, that the load goes over the table once more.
     */
    public function lookForMoves(Carrier $carrier): void
    {
        if ($carrier->position->isLoading() && ! $carrier->onceMore && ! $carrier->secondTime && ! $carrier->complete && $carrier->plan->movedUnsaid()) {
            $carrier->onceMore = true;
            Feed::whereKey($carrier->id)->update(['reload' => self::AGAIN]);
        }
    }

    public function completeUpTo(?string $time): void
    {
        $apart = array_keys(array_filter($this->carriers, static fn (Carrier $c): bool => $c->apart));
        if ($time !== null) {
            DB::table('feeds')->where('route_id', $this->log->route_id)->where('capture', $this->log->capture)->where('standing', 'carried')->whereNull('paused_at')->whereNotIn('id', $apart)->update(['complete_up_to' => $time, 'waiting' => 0]);
        }
        foreach ($apart as $id) {
            DB::update('UPDATE feeds SET waiting = (SELECT coalesce(sum(changes), 0) FROM spool WHERE feed_id = feeds.id) WHERE id = ?', [$id]);
        }
    }

    /** Has every feed load again: the log that stood between the copies and their source is gone. */
    public function beginAnew(ChangeLog $changeLog): void
    {
        $changeLog->remove();
        DB::transaction(function (): void {
            DB::delete('DELETE FROM spool WHERE feed_id IN (SELECT id FROM feeds WHERE route_id = ? AND capture = ?)', [$this->log->route_id, $this->log->capture]);
            DB::update("UPDATE feeds SET reload = '{}', progress = NULL, complete_up_to = NULL, standing = CASE standing WHEN 'carried' THEN 'loading' ELSE standing END WHERE route_id = ? AND capture = ?", [$this->log->route_id, $this->log->capture]);
            $this->log->update(['anew_asked' => false, 'read_to' => 0, 'standing' => 'new', 'trouble' => null]);
        });
    }

    /**
     * Takes in new feeds, lets go of removed ones, and follows pauses and decisions.
     *
     * @param  callable(callable(): mixed, Carrier|null): mixed  $atTarget
     * @return bool false when no feed of the route is carried by its log any more, and everything for it was removed
     */
    public function sync(ChangeLog $changeLog, ?ChangeLanding $landing, Systems $systems, callable $atTarget): bool
    {
        $rows = DB::table('feeds')->where('route_id', $this->log->route_id)->where('capture', $this->log->capture)->orderBy('id')->get(['id', 'uid', 'name', 'definition_id', 'paused_at', 'standing', 'due_at', 'reload', 'cancel_asked', 'join_asked', 'position', 'sequence', 'complete_up_to', DB::raw("EXISTS (SELECT 1 FROM set_aside s WHERE s.feed_id = feeds.id AND s.state = 'asked' AND s.overtaken_by IS NULL) AS again")])->keyBy('id');
        if ($rows->isEmpty()) {
            $changeLog->remove();
            $this->log->delete();

            return false;
        }
        $this->dropGone($rows->all(), $changeLog);
        $new = [];
        foreach ($rows as $row) {
            if ($row->cancel_asked && $landing !== null) {
                $this->discard($row, $systems);

                continue;
            }
            $blocked = $row->paused_at !== null || $row->standing === 'held' || ($row->standing === 'failed' && ($row->due_at === null || $row->due_at > now()->format('Y-m-d H:i:s.uP')));
            $carrier = $this->carriers[$row->id] ?? null;
            if ($carrier === null) {
                // A feed that has never begun and may not begin has nothing to keep.
                $blocked && $row->position === null ?: $new[] = [$row, $blocked];
            } else {
                $this->follow($carrier, $row, $blocked, $landing);
            }
        }
        if ($new !== []) {
            $this->takeIn($new, $changeLog, $landing, $systems, $atTarget);
        }
        $this->lookAgain();

        return true;
    }

    private function follow(Carrier $carrier, object $row, bool $blocked, ?ChangeLanding $landing): void
    {
        $carrier->blocked = $blocked;
        $carrier->again = $row->again;
        $carrier->joins = $row->join_asked;
        if ($blocked && ! $carrier->apart) {
            $carrier->apart = true;
            $carrier->window = null;
        }
        if (! $blocked && $row->standing === 'failed') {
            Feed::findOrFail($carrier->id)->update(['standing' => $carrier->position->isLoading() ? 'loading' : 'carried', 'trouble' => null]);
        }
        if ($row->reload !== null && ! $carrier->position->isLoading()) {
            $this->reload($carrier, $row->reload, $landing);
        }
    }

    private function reload(Carrier $carrier, string $wanted, ?ChangeLanding $landing): void
    {
        $part = json_decode($wanted, true);
        $carrier->loadUntil = $part['until'] ?? null;
        $carrier->onceMore = isset($part['again']);
        $carrier->secondTime = isset($part['second']);
        if (! $carrier->position->isLoading()) {
            $carrier->position = Position::logLoading((string) $carrier->position->place, $part['from'] ?? null);
            $landing?->noteKeys($carrier->uid, ($part['from'] ?? null) === null && $carrier->loadUntil === null);
            Feed::findOrFail($carrier->id)->update(['progress' => ['rows' => 0, 'of' => null, 'since' => microtime(true), 'sinceRows' => 0]]);
            $this->recorder->say($carrier, ($part['from'] ?? null) === null && $carrier->loadUntil === null ? 'Loads the table again, beside the changes.' : 'Loads a range of keys again, beside the changes.');
        }
    }

    /** @param  array<int, object>  $rows */
    private function dropGone(array $rows, ChangeLog $changeLog): void
    {
        foreach ($this->carriers as $id => $carrier) {
            $row = $rows[$id] ?? null;
            if ($row !== null && (int) $row->definition_id === $carrier->definitionId) {
                continue;
            }
            unset($this->carriers[$id]);
            $this->byRelation = [];
            $others = array_filter($this->carriers, static fn (Carrier $c): bool => (string) $c->definition->source === (string) $carrier->definition->source);
            if ($row === null && $others === []) {
                $changeLog->leave([$carrier->definition->source]);
            }
        }
    }

    /**
     * @param  list<array{object, bool}>  $new  rows, and whether they may not land
     * @param  callable(callable(): mixed, Carrier|null): mixed  $atTarget
     */
    private function takeIn(array $new, ChangeLog $changeLog, ?ChangeLanding $landing, Systems $systems, callable $atTarget): void
    {
        $definitions = Definition::whereIn('id', array_map(static fn (array $n): int => (int) $n[0]->definition_id, $new))->get()->keyBy('id');
        $ready = [];
        foreach ($new as [$row, $blocked]) {
            $definition = $definitions[$row->definition_id]->parsed();
            $carrier = new Carrier((int) $row->id, $row->uid, $row->name, (int) $row->definition_id, $definition, $row->position === null ? Position::start() : Position::fromJson($row->position));
            $carrier->blocked = $blocked;
            $ready[] = [$carrier, $row];
        }
        $ready = $this->publish($ready, $changeLog, $landing?->position() ?? 0);
        $this->expected = [];
        foreach ($ready as [$carrier, $row]) {
            try {
                if ($landing !== null) {
                    $carrier->blocked ?: ShapeCheck::agreed($systems->source($this->log->route->source), $carrier->definition);
                    $carrier->position = $atTarget(static fn (): Position => $landing->admit($carrier->definition->landedTable(), $carrier->uid), $carrier);
                    $this->catchUp($carrier, $landing, (int) $row->sequence);
                    $carrier->treat($this->log->route->source->name, $landing->sequence($carrier->uid));
                }
                $this->begin($carrier, $row, $landing, $systems);
            } catch (SetApart $apart) {
                $this->refuse($carrier, $apart->trouble, $apart->standing);
            } catch (Explained $trouble) {
                if ($trouble->mayPass()) {
                    throw $trouble;
                }
                $this->refuse($carrier, $trouble, self::standingFor($trouble));
            }
        }
        $this->byRelation = [];
    }

    private function begin(Carrier $carrier, object $row, ?ChangeLanding $landing, Systems $systems): void
    {
        $carrier->complete = $row->complete_up_to !== null;
        $carrier->joins = $row->join_asked;
        $carrier->apart = $landing === null || $carrier->blocked || Spool::waiting($carrier->id) > 0;
        $this->carriers[$carrier->id] = $carrier;
        if ($row->reload !== null) {
            $this->reload($carrier, $row->reload, $landing);
        }
        $standing = $carrier->position->isLoading() && $row->complete_up_to === null ? 'loading' : 'carried';
        if ($carrier->position->phase === 'start') {
            Feed::findOrFail($carrier->id)->update(['standing' => 'loading', 'trouble' => null, 'progress' => ['rows' => 0, 'of' => $this->expected($systems, $carrier->definition->source), 'since' => microtime(true), 'sinceRows' => 0]]);
            $this->recorder->say($carrier, "First load of {$carrier->definition->source} in key order, beside its changes.");
        } elseif (! $carrier->blocked && in_array($row->standing, ['new', 'failed', 'held'], true)) {
            Feed::findOrFail($carrier->id)->update(['standing' => $standing, 'trouble' => null]);
        }
    }

    private function refuse(Carrier $carrier, Explained $trouble, string $standing): void
    {
        $this->recorder->fail($carrier, $standing, $trouble);
        Feed::findOrFail($carrier->id)->update(['standing' => $standing, 'trouble' => Trouble::told($trouble), 'due_at' => null]);
        // Once it has begun, its changes are kept until it can go on.
        if ($carrier->position->phase !== 'start') {
            $carrier->blocked = $carrier->apart = true;
            $this->carriers[$carrier->id] = $carrier;
        }
    }

    /**
     * @param  list<array{Carrier, object}>  $new
     * @return list<array{Carrier, object}> those whose tables are in the log
     */
    private function publish(array $new, ChangeLog $changeLog, int $landed): array
    {
        $tables = [];
        foreach ($new as [$carrier]) {
            $tables[(string) $carrier->definition->source] = $carrier->definition->source;
        }
        $refused = [];
        foreach ($changeLog->check(array_values($tables)) as $finding) {
            if ($finding->result === 'failed' && isset($tables[$finding->subject])) {
                $refused[$finding->subject] = SystemTrouble::lasting("{$this->log->capture}_not_ready", $finding->said, (string) $finding->remedy);
            }
        }
        try {
            $begin = (int) $this->log->read_to === 0;
            $begin || $this->lookForGaps($changeLog, array_column($new, 0));
            $from = $changeLog->ensure(array_values(array_diff_key($tables, $refused)), $begin, $landed);
            // What was changed before this place is read by the first loads, which have yet to begin.
            $begin && $this->log->update(['read_to' => $from]);
        } catch (SystemTrouble $trouble) {
            if ($trouble->mayPass() || $this->carriers === []) {
                throw $trouble;
            }
            // Those that are carried already go on; only the new ones wait for the statement to be run.
            $refused = array_fill_keys(array_keys($tables), $trouble);
        }

        return array_values(array_filter($new, function (array $pair) use ($refused): bool {
            $trouble = $refused[(string) $pair[0]->definition->source] ?? null;
            if ($trouble !== null) {
                $this->refuse($pair[0], $trouble, 'failed');
            }

            return $trouble === null;
        }));
    }

    /**
     * Where the recording of changes was tampered with, what changed meanwhile can only be had by loading the table again.
     *
     * @param  list<Carrier>|null  $of  null for all
     */
    public function lookForGaps(ChangeLog $changeLog, ?array $of = null): void
    {
        $begun = array_filter($of ?? $this->carriers, static fn (Carrier $c): bool => $c->position->phase !== 'start');
        $tables = [];
        foreach ($begun as $carrier) {
            $tables[(string) $carrier->definition->source] = $carrier->definition->source;
        }
        $amiss = $changeLog->amiss(array_values($tables));
        if ($amiss === []) {
            return;
        }
        foreach ($begun as $carrier) {
            $why = $amiss[(string) $carrier->definition->source] ?? null;
            if ($why !== null) {
                Feed::findOrFail($carrier->id)->update(['reload' => [], 'gap' => ['at' => now()->toIso8601String(), 'why' => ucfirst($why)]]);
                $this->recorder->say($carrier, ucfirst($why).', so changes may have been missed. It is put right, and the table is loaded again beside its changes.', 'caution');
            }
        }
        $changeLog->ensure(array_values(array_intersect_key($tables, $amiss)), false);
    }

    /** What landed before a crash, and was not copied, is copied now. */
    private function catchUp(Carrier $carrier, ChangeLanding $landing, int $sequence): void
    {
        $receipts = $landing->receiptsAfter($carrier->uid, $sequence);
        foreach ($receipts as $receipt) {
            $this->recorder->landed($carrier, $receipt);
            if ($receipt->sourceTime !== null && $receipt->read > 0) {
                $us = static fn (string $time): int => (int) ((new \DateTimeImmutable($time))->format('Uu'));
                $this->recorder->delivered($carrier, [[$us($receipt->sourceTime), $receipt->read]], $us($receipt->landedAt), 0.0, 0.0, 0.0);
            }
        }
        if ($receipts !== []) {
            $this->recorder->flush();
        }
    }

    private function expected(Systems $systems, TableName $table): ?int
    {
        if ($this->expected === []) {
            foreach ($systems->source($this->log->route->source)->catalogue() as $entry) {
                $this->expected[(string) $entry->table] = $entry->estimatedRows;
            }
        }

        return $this->expected[(string) $table] ?? null;
    }

    /** Forgets a feed that is to begin anew. */
    private function discard(object $row, Systems $systems): void
    {
        unset($this->carriers[$row->id]);
        $this->byRelation = [];
        $feed = Feed::with('definition')->findOrFail($row->id);
        $systems->target($this->log->route->target)->discard($feed->uid);
        $feed->forgetLanded();
    }

    /**
     * What a change of one feed breaks is that feed's trouble, not the route's; so is a lookup that does not answer.
     *
     * @template T
     *
     * @param  callable(): T  $do
     * @return T
     */
    public function guarded(Carrier $carrier, callable $do): mixed
    {
        try {
            return $do();
        } catch (TreatmentStopped|SystemTrouble $trouble) {
            throw new SetApart($carrier, $trouble, 'failed');
        } catch (LogicException $e) {
            throw new SetApart($carrier, SystemTrouble::lasting('no_key', "{$carrier->definition->source}: ".lcfirst($e->getMessage()), 'Choose a key whose columns are never null and belong to the table\'s replica identity.'), 'failed');
        }
    }

    /**
     * @param  callable(): LoadChunk  $do
     */
    public function atSource(Carrier $carrier, callable $do): LoadChunk
    {
        try {
            return $do();
        } catch (SystemTrouble $trouble) {
            throw $trouble->mayPass() ? $trouble : new SetApart($carrier, $trouble, 'failed');
        }
    }
}
