<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use App\Models\Definition;
use App\Models\Feed;
use App\Models\RouteLog;
use App\Runtime\Backoff;
use App\Runtime\ShapeCheck;
use App\Runtime\ShapeMoved;
use App\Runtime\Systems;
use App\Runtime\Treating\Treating;
use App\Runtime\Trouble;
use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\SharedKeys;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Landing\Truncates;
use Lighterman\Core\Port\ChangeLanding;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Port\Explained;
use Lighterman\Core\Port\LoadChunk;
use Lighterman\Core\Port\SystemTrouble;
use Lighterman\Core\Port\TableName;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Treatment\TreatmentStopped;
use LogicException;

/** The feeds of a route while its log is read: which there are, which table each takes, what each is allowed to do. */
final class Carriers
{
    /** Keys that are read again one by one; with more of them the table is loaded again. */
    private const REREADS = 10_000;

    private const REREADS_AT_ONCE = 500;

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

    public function __construct(private readonly RouteLog $log, private readonly LogRecorder $recorder, private readonly Systems $systems)
    {
    }

    /** @return list<Carrier> */
    public function of(Relation $relation): array
    {
        return $this->byRelation[$relation->id] ??= array_values(array_filter($this->carriers, static fn (Carrier $c): bool => (string) $c->definition->source === (string) $relation->table));
    }

    /** A feed's lasting id; empty for one that is carried no more. */
    public function uid(int $feedId): string
    {
        return $this->carriers[$feedId]->uid ?? '';
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
    public function describe(Relation $relation, ChangeLog $changeLog): void
    {
        $before = $this->described[$relation->id] ?? null;
        $this->described[$relation->id] = $relation;
        foreach ($this->of($relation) as $carrier) {
            $carrier->forget($relation);
            // Names tell what came and went; a column that was given another type shows only against what was said before.
            if (! $carrier->apart && ! ($carrier->fits($relation) && ($before === null || $before == $relation))) {
                $trouble = $this->shapeTrouble($carrier);
                if ($trouble !== null) {
                    throw new SetApart($carrier, $trouble, self::standingFor($trouble));
                }
            }
            if ($before !== null || ! $carrier->fits($relation)) {
                $altered = $this->compare($carrier, $changeLog->identities([$carrier->definition->source])[(string) $carrier->definition->source] ?? null);
                // The catalogue may be ahead of what the log describes.
                $trouble = $altered && ! $carrier->apart ? $this->shapeTrouble($carrier) : null;
                if ($trouble !== null) {
                    throw new SetApart($carrier, $trouble, self::standingFor($trouble));
                }
            }
        }
    }

    /**
     * Has the table loaded again if it is not what it was when its load began.
     *
     * @param  string|null  $amiss  what is known to have been wrong with the recording of its changes
     * @return bool whether its columns are not those they were; this is told once
     */
    private function compare(Carrier $carrier, ?TableIdentity $now, ?string $amiss = null): bool
    {
        $altered = $now !== null && $carrier->identity?->columns != $now->columns;
        $why = $amiss ?? ($carrier->identity === null ? null : $now?->since($carrier->identity, $carrier->definition->carried()->names()));
        if ($now !== null && ($carrier->identity === null || $now->toArray() != $carrier->identity->toArray())) {
            $carrier->identity = $now;
            DB::update('UPDATE feeds SET identity = ? WHERE id = ?', [json_encode($now->toArray(), JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE), $carrier->id]);
        }
        if ($why !== null) {
            $this->loadAgain($carrier, $why);
        }

        return $altered;
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
        return $this->restless ??= array_filter($this->carriers, static fn (Carrier $c): bool => $c->apart || $c->asked || $c->position->isLoading() || $c->rereads !== []);
    }

    /** A mark is written, before which everything is older than what was asked for until now. */
    public function marked(int $number): void
    {
        foreach ($this->carriers as $carrier) {
            if ($carrier->asked && $carrier->beginsAfter === null) {
                $carrier->beginsAfter = $number;
            }
        }
    }

    public function markCame(int $number): void
    {
        foreach ($this->carriers as $carrier) {
            if ($carrier->asked && $carrier->beginsAfter === $number) {
                $carrier->beginsAfter = 0;
            }
        }
    }

    /** What a feed may do has changed. */
    public function lookAgain(): void
    {
        $this->restless = null;
    }

    /** Whether something is left that will end by itself: loads, or a spool that can be landed. */
    public function busy(): bool
    {
        return array_filter($this->restless(), static fn (Carrier $c): bool => ! $c->blocked) !== [];
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

    /** @return list<string> the lasting ids of those that land now */
    public function landing(): array
    {
        return array_values(array_map(static fn (Carrier $c): string => $c->uid, array_filter($this->carriers, static fn (Carrier $c): bool => $c->admitted && ! $c->blocked)));
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

    /** @return list<Carrier> those of which a part is to be read: the next chunk of a load, or keys */
    public function wantingChunk(int $atOnce): array
    {
        $loading = array_filter($this->restless(), static fn (Carrier $c): bool => ! $c->apart && ($c->position->isLoading() || $c->rereads !== []));
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
        if ($window->asked !== null) {
            $this->haveReread($carrier, $window->asked);

            return;
        }
        $feed = Feed::findOrFail($carrier->id);
        $before = $feed->progress ?? ['rows' => 0, 'of' => null, 'since' => SteadyClock::micros() / 1e6, 'sinceRows' => 0];
        if ($window->chunk->last && $carrier->asked) {
            // What has to be loaded again was found out meanwhile.
            $feed->update(['progress' => null]);
        } elseif (! $window->chunk->last) {
            $feed->update(['progress' => ['rows' => $before['rows'] + count($window->chunk->rows)] + $before]);
        } else {
            $whole = $carrier->slice->isWhole();
            $carrier->complete = true;
            $carrier->mends = false;
            $carrier->slice = Slice::whole();
            // Another that was asked for in this moment has yet to begin.
            DB::table('feeds')->where('id', $carrier->id)->update(['progress' => null, 'standing' => 'carried', 'complete_up_to' => $receipt->sourceTime, 'reload' => DB::raw("CASE WHEN reload->>'begun' IS NULL THEN reload END")]);
            $this->recorder->say($carrier, $whole ? 'The load is complete; from here on the feed follows the log.' : 'What was asked for is loaded; the feed goes on following the log.');
        }
    }

    /** @param  list<list<string>>  $keys */
    private function haveReread(Carrier $carrier, array $keys): void
    {
        foreach ($keys as $key) {
            unset($carrier->rereads[implode("\0", $key)]);
        }
        DB::update('UPDATE feeds SET rereads = ? WHERE id = ?', [$carrier->rereads === [] ? null : json_encode(array_values($carrier->rereads), JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE), $carrier->id]);
        $this->recorder->say($carrier, (count($keys) === 1 ? 'One row was' : count($keys).' rows were').' read again by key.');
    }

    /**
     * What of a carrier's table is read next.
     *
     * @return array{Slice, list<list<string>>|null} and the keys asked for, where it is keys
     */
    public function nextSlice(Carrier $carrier): array
    {
        // A journal that is still being started would be told of the rows twice.
        if ($carrier->rereads !== [] && ! $carrier->startsJournal()) {
            $keys = array_values(array_slice($carrier->rereads, 0, self::REREADS_AT_ONCE));

            return [Slice::keys($keys), $keys];
        }

        return [$carrier->slice->from($carrier->position->key), null];
    }

    /**
     * Hands what a feed's plan holds to the target. Whichever way changes came, they land through here, so that what has to
     * be seen to before they do is never left out.
     *
     * @param  callable(callable(): mixed, Carrier): mixed  $atTarget  turns the target's trouble into the feed's or the route's
     */
    public function apply(Carrier $carrier, ChangeLog $changeLog, ChangeLanding $landing, callable $atTarget): void
    {
        $this->settleStart($carrier, $changeLog);
        $carrier->aside->flush();
        $this->writeDown($carrier);
        $atTarget(static fn () => $landing->apply($carrier->uid, $carrier->plan), $carrier);
        $carrier->plan->clear();
    }

    /** Tells the entries of a journal from what its first load brings. */
    public function settleStart(Carrier $carrier, ChangeLog $changeLog): void
    {
        $carrier->settleStart(fn (array $reached, array $keys): array => $this->atSource($carrier, static fn (): array => $changeLog->passed($carrier->definition, $reached, $keys)));
    }

    /** What has to be read again is written down before anything lands, so that a crash does not forget it. */
    private function writeDown(Carrier $carrier): void
    {
        $new = $carrier->takeNewRereads();
        if ($carrier->unclear || count($carrier->rereads) > self::REREADS) {
            $carrier->unclear = false;
            $carrier->rereads = [];
            $this->loadAgain($carrier, 'changes came whose rows can only be had by reading the table');
        } elseif ($new !== []) {
            DB::update("UPDATE feeds SET rereads = coalesce(rereads, '[]') || ?::jsonb WHERE id = ?", [json_encode($new, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE), $carrier->id]);
            $this->lookAgain();
        }
    }

    /** Has a feed load its table again because changes may have been missed. It is not on time before it has. */
    public function loadAgain(Carrier $carrier, string $why): void
    {
        if ($carrier->asked) {
            return;
        }
        $carrier->asked = true;
        $carrier->beginsAfter = null;
        $standing = $carrier->blocked ? [] : ['standing' => 'loading'];
        Feed::findOrFail($carrier->id)->update(['reload' => ['mends' => true], 'rereads' => null, 'gap' => ['at' => now()->toIso8601String(), 'why' => ucfirst($why)], ...$standing]);
        $carrier->mends = true;
        $carrier->rereads = [];
        $this->recorder->say($carrier, ucfirst($why).', so changes may have been missed. The table is loaded again beside its changes.', 'caution');
    }

    public function completeUpTo(?string $time): void
    {
        $apart = array_keys(array_filter($this->carriers, static fn (Carrier $c): bool => $c->apart));
        if ($time !== null) {
            DB::table('feeds')->where('route_id', $this->log->route_id)->where('capture', $this->log->capture)->where('standing', 'carried')->whereNull('paused_at')->whereNull('rereads')->whereNotIn('id', $apart)->update(['complete_up_to' => $time, 'waiting' => 0]);
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
            DB::update("UPDATE feeds SET reload = '{\"mends\": true}', rereads = NULL, identity = NULL, progress = NULL, complete_up_to = NULL, gap = jsonb_build_object('at', now(), 'why', 'What its changes were read from was lost'), standing = CASE standing WHEN 'carried' THEN 'loading' ELSE standing END WHERE route_id = ? AND capture = ?", [$this->log->route_id, $this->log->capture]);
            $this->log->update(['anew_asked' => false, 'read_to' => 0, 'standing' => 'new', 'trouble' => null]);
        });
    }

    /**
     * Takes in new feeds, lets go of removed ones, and follows pauses and decisions.
     *
     * @param  callable(callable(): mixed, Carrier|null): mixed  $atTarget
     * @return bool false when no feed of the route is carried by its log any more, and everything for it was removed
     */
    public function sync(ChangeLog $changeLog, ?ChangeLanding $landing, callable $atTarget): bool
    {
        $rows = DB::table('feeds')->where('route_id', $this->log->route_id)->where('capture', $this->log->capture)->orderBy('id')->get(['id', 'uid', 'name', 'definition_id', 'paused_at', 'standing', 'due_at', 'reload', 'cancel_asked', 'join_asked', 'identity', 'rereads', 'position', 'sequence', 'complete_up_to', DB::raw("EXISTS (SELECT 1 FROM set_aside s WHERE s.feed_id = feeds.id AND s.state = 'asked' AND s.overtaken_by IS NULL) AS again")])->keyBy('id');
        if ($rows->isEmpty()) {
            $changeLog->remove();
            $this->log->delete();

            return false;
        }
        $this->dropGone($rows->all(), $changeLog);
        $new = [];
        foreach ($rows as $row) {
            if ($row->cancel_asked && $landing !== null) {
                $this->discard($row);

                continue;
            }
            $blocked = $row->paused_at !== null || $row->standing === 'held' || ($row->standing === 'failed' && ($row->due_at === null || $row->due_at > now()->format('Y-m-d H:i:s.uP')));
            $carrier = $this->carriers[$row->id] ?? null;
            if ($carrier !== null && ! $carrier->admitted && $landing !== null && ! $blocked) {
                // It was kept from the target when it was to be taken in.
                unset($this->carriers[$row->id]);
                $this->byRelation = [];
                $carrier = null;
            }
            if ($carrier === null) {
                // A feed that has never begun and may not begin has nothing to keep.
                $blocked && $row->position === null ?: $new[] = [$row, $blocked];
            } else {
                $this->follow($carrier, $row, $blocked, $landing, $changeLog);
            }
        }
        if ($new !== []) {
            $this->takeIn($new, $changeLog, $landing, $atTarget);
        }
        $this->lookAgain();

        return true;
    }

    private function follow(Carrier $carrier, object $row, bool $blocked, ?ChangeLanding $landing, ChangeLog $changeLog): void
    {
        if ($carrier->blocked && ! $blocked && ! ($this->lookForGaps($changeLog, [$carrier]) && $this->hasShape($carrier))) {
            // What had kept it from going on keeps it still.
            return;
        }
        $carrier->blocked = $blocked;
        $carrier->again = $row->again;
        $carrier->joins = $row->join_asked;
        if ($blocked && ! $carrier->apart) {
            $carrier->apart = true;
            $carrier->window = null;
        }
        if (! $blocked && $row->standing === 'failed') {
            Feed::findOrFail($carrier->id)->update(['standing' => $carrier->mends || $carrier->position->isLoading() ? 'loading' : 'carried', 'trouble' => null]);
        }
        $this->wanted($carrier, $row, $landing);
    }

    /** Follows what somebody, or a gap, wants loaded again. */
    private function wanted(Carrier $carrier, object $row, ?ChangeLanding $landing): void
    {
        foreach (json_decode($row->rereads ?? '[]', true) as $key) {
            $carrier->rereads[implode("\0", $key)] = $key;
        }
        // What was found out just now is not in the row yet, and comes before what somebody had asked for.
        $asked = $carrier->asked ? ['mends' => true] : ($row->reload === null ? null : json_decode($row->reload, true));
        if ($asked === null || ($carrier->position->isLoading() && ($asked['begun'] ?? false))) {
            if ($asked !== null) {
                [$carrier->slice, $carrier->mends] = [Slice::fromArray($asked), $asked['mends'] ?? false];
            }

            return;
        }
        if ($carrier->position->phase === 'start' || $landing === null || ! $carrier->admitted) {
            return;
        }
        if ($asked['mends'] ?? false) {
            // It may have been found out while the feed was paused.
            $row->standing !== 'carried' || $carrier->blocked || Feed::findOrFail($carrier->id)->update(['standing' => 'loading']);
            $carrier->asked = true;
            if ($carrier->beginsAfter !== 0) {
                return;
            }
        }
        if ($carrier->apart) {
            // What waits to be landed is older than what the load will read, and must not pass for seen by it.
            return;
        }
        $carrier->asked = false;
        $carrier->beginsAfter = null;
        [$carrier->slice, $carrier->mends, $carrier->window] = [Slice::fromArray($asked), $asked['mends'] ?? false, null];
        $carrier->position = Position::logLoading((string) $carrier->position->place, null);
        $landing->noteKeys($carrier->uid, $carrier->slice->isWhole());
        Feed::findOrFail($carrier->id)->update(['reload' => ['begun' => true] + $asked, 'progress' => ['rows' => 0, 'of' => null, 'since' => SteadyClock::micros() / 1e6, 'sinceRows' => 0]]);
        $this->recorder->say($carrier, "Loads {$carrier->slice} again, beside the changes.");
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
    private function takeIn(array $new, ChangeLog $changeLog, ?ChangeLanding $landing, callable $atTarget): void
    {
        $definitions = Definition::whereIn('id', array_map(static fn (array $n): int => (int) $n[0]->definition_id, $new))->get()->keyBy('id');
        $ready = [];
        foreach ($new as [$row, $blocked]) {
            $definition = $definitions[$row->definition_id]->parsed();
            $carrier = new Carrier((int) $row->id, $row->uid, $row->name, (int) $row->definition_id, $definition, $row->position === null ? Position::start() : Position::fromJson($row->position), Treating::bounds($definition, $this->log->route->target));
            $carrier->blocked = $blocked;
            $carrier->identity = $row->identity === null ? null : TableIdentity::fromArray(json_decode($row->identity, true));
            $ready[] = [$carrier, $row];
        }
        $ready = $this->publish($ready, $changeLog, $landing?->position() ?? 0);
        foreach ($changeLog->sharing(array_map(static fn (array $pair): FeedDefinition => $pair[0]->definition, $ready)) as $number) {
            $ready[$number][0]->shared = new SharedKeys($ready[$number][0]->key);
        }
        $this->expected = [];
        foreach ($ready as [$carrier, $row]) {
            try {
                if ($landing !== null) {
                    $carrier->blocked ?: ShapeCheck::agreed($this->systems->source($this->log->route->source), $carrier->definition);
                    $carrier->position = $atTarget(static fn (): Position => $landing->admit($carrier->definition->landedTable(), $carrier->uid, self::loadsWhole($row)), $carrier);
                    $carrier->admitted = true;
                    $this->catchUp($carrier, $landing, (int) $row->sequence);
                    $carrier->treat($this->log->route->source->name, $landing->sequence($carrier->uid));
                }
                $this->begin($carrier, $row, $landing);
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

    /** Whether the whole table is to be loaded again, so that nothing of what had landed is needed. */
    private static function loadsWhole(object $row): bool
    {
        return $row->reload !== null && Slice::fromArray(json_decode($row->reload, true))->isWhole();
    }

    private function begin(Carrier $carrier, object $row, ?ChangeLanding $landing): void
    {
        $carrier->complete = $row->complete_up_to !== null;
        $carrier->joins = $row->join_asked;
        $carrier->apart = $landing === null || $carrier->blocked || Spool::waiting($carrier->id) > 0;
        $this->carriers[$carrier->id] = $carrier;
        $this->wanted($carrier, $row, $landing);
        $carrier->mends = $carrier->mends || $carrier->asked;
        $standing = $carrier->mends || ($carrier->position->isLoading() && $row->complete_up_to === null) ? 'loading' : 'carried';
        if ($carrier->position->phase === 'start') {
            Feed::findOrFail($carrier->id)->update(['standing' => 'loading', 'trouble' => null, 'progress' => ['rows' => 0, 'of' => $this->expected($carrier->definition->source), 'since' => SteadyClock::micros() / 1e6, 'sinceRows' => 0]]);
            $this->recorder->say($carrier, "First load of {$carrier->definition->source} in key order, beside its changes.");
        } elseif (! $carrier->blocked && in_array($row->standing, ['new', 'failed', 'held'], true)) {
            Feed::findOrFail($carrier->id)->update(['standing' => $standing, 'trouble' => null]);
        }
    }

    private function refuse(Carrier $carrier, Explained $trouble, string $standing): void
    {
        $feed = Feed::findOrFail($carrier->id);
        // The same again is no news.
        if ($feed->standing !== $standing || ($feed->trouble['message'] ?? null) !== $trouble->getMessage()) {
            $this->recorder->fail($carrier, $standing, $trouble);
        }
        $told = Trouble::told($trouble);
        $feed->update(['standing' => $standing, 'trouble' => $told, 'failures' => $feed->failures + 1, 'due_at' => $told['asks'] === null ? now()->addSeconds(Backoff::seconds($feed->failures + 1)) : null]);
        // Once it has begun, its changes are kept until it can go on.
        if ($carrier->position->phase !== 'start') {
            $carrier->blocked = $carrier->apart = true;
            $carrier->window = null;
            $this->carriers[$carrier->id] = $carrier;
            $this->byRelation = [];
            $this->lookAgain();
        }
    }

    /**
     * @param  list<array{Carrier, object}>  $new
     * @return list<array{Carrier, object}> those whose tables are in the log
     */
    private function publish(array $new, ChangeLog $changeLog, int $landed): array
    {
        $begin = (int) $this->log->read_to === 0;
        $begin || $this->lookForGaps($changeLog, array_column($new, 0));
        $new = array_values(array_filter($new, fn (array $pair): bool => ! isset($this->carriers[$pair[0]->id])));
        $tables = self::tables(array_column($new, 0));
        $refused = $this->ensure($changeLog, $tables, $begin, $landed);
        $now = $changeLog->identities(array_values(array_diff_key($tables, $refused)));
        $ready = [];
        foreach ($new as [$carrier, $row]) {
            $table = (string) $carrier->definition->source;
            if (isset($refused[$table])) {
                $this->refuse($carrier, $refused[$table], 'failed');
            } else {
                $this->compare($carrier, $now[$table] ?? null);
                $ready[] = [$carrier, $row];
            }
        }

        return $ready;
    }

    /**
     * @param  iterable<Carrier>  $carriers
     * @return array<string, TableName>
     */
    private static function tables(iterable $carriers): array
    {
        $tables = [];
        foreach ($carriers as $carrier) {
            $tables[(string) $carrier->definition->source] = $carrier->definition->source;
        }

        return $tables;
    }

    /**
     * Has the changes of tables recorded. One that cannot be stands in the way of no other.
     *
     * @param  array<string, TableName>  $tables
     * @return array<string, SystemTrouble> why not, by table
     */
    private function ensure(ChangeLog $changeLog, array $tables, bool $begin, int $landed = 0): array
    {
        $refused = [];
        foreach ($changeLog->check(array_values($tables)) as $finding) {
            if ($finding->result === 'failed' && isset($tables[$finding->subject])) {
                $refused[$finding->subject] = SystemTrouble::lasting("{$this->log->capture}_not_ready", "{$this->log->route->source->name}: {$finding->said}", (string) $finding->remedy);
            }
        }
        $rest = array_diff_key($tables, $refused);
        $from = null;
        try {
            $from = $changeLog->ensure(array_values($rest), $begin, $landed);
        } catch (SystemTrouble $trouble) {
            foreach ($trouble->mayPass() ? throw $trouble : $rest as $name => $table) {
                try {
                    $from = $changeLog->ensure([$table], $begin, $landed);
                } catch (SystemTrouble $own) {
                    $refused[$name] = $own->mayPass() ? throw $own : $own;
                }
            }
            if ($from === null && $this->carriers === []) {
                throw $trouble;
            }
        }
        // What was changed before this place is read by the first loads, which have yet to begin.
        $begin && $from !== null && $this->log->update(['read_to' => $from]);

        return $refused;
    }

    /**
     * Where the recording of changes was tampered with, or a table is not the one it was, what changed meanwhile can only be
     * had by loading the table again.
     *
     * @param  list<Carrier>|null  $of  null for all
     * @return bool whether the changes of all of them are recorded
     */
    public function lookForGaps(ChangeLog $changeLog, ?array $of = null): bool
    {
        $begun = array_filter($of ?? $this->carriers, static fn (Carrier $c): bool => $c->position->phase !== 'start');
        $tables = self::tables($begun);
        $amiss = $tables === [] ? [] : $changeLog->amiss(array_values($tables));
        $refused = $amiss === [] ? [] : $this->ensure($changeLog, array_intersect_key($tables, $amiss), false);
        $now = $tables === [] ? [] : $changeLog->identities(array_values($tables));
        foreach ($begun as $carrier) {
            $table = (string) $carrier->definition->source;
            if (isset($refused[$table])) {
                $this->refuse($carrier, $refused[$table], 'failed');

                continue;
            }
            $another = $carrier->identity !== null && isset($now[$table]) && $carrier->identity->table !== $now[$table]->table;
            $altered = $this->compare($carrier, $now[$table] ?? null, $another ? null : $amiss[$table] ?? null);
            // Where nothing changes after an alteration, the log does not tell of it.
            if ($altered && ! $carrier->apart) {
                $this->hasShape($carrier);
            }
        }

        return $refused === [];
    }

    /**
     * A table was emptied at the source. Whichever way the feed comes to it, from the log or from the spool, a person's
     * decision holds.
     *
     * @return bool whether the copy is emptied too
     *
     * @throws SetApart where it is yet to be decided
     */
    public function empties(Carrier $carrier, SourceCommit $commit): bool
    {
        if ($carrier->definition->truncates !== Truncates::Hold) {
            return true;
        }
        $decided = DB::table('feeds')->where('id', $carrier->id)->value('emptied');
        if ($decided === null) {
            throw new SetApart($carrier, TableEmptied::at($carrier->definition->source, $commit->time()), 'held');
        }
        $carrier->decided = true;

        return $decided !== 'keep';
    }

    /** What a feed holds has landed, so that what was decided for it is done. */
    public function landedAs(Carrier $carrier, int $sequence): void
    {
        $carrier->landedAs($sequence);
        if ($carrier->decided) {
            $carrier->decided = false;
            DB::table('feeds')->where('id', $carrier->id)->update(['emptied' => null]);
        }
    }

    /** Whether the table has the shape that was agreed; if not the feed is held. */
    private function hasShape(Carrier $carrier): bool
    {
        $trouble = $this->shapeTrouble($carrier);
        $trouble === null || $this->refuse($carrier, $trouble, self::standingFor($trouble));

        return $trouble === null;
    }

    private function shapeTrouble(Carrier $carrier): ?Explained
    {
        try {
            ShapeCheck::agreed($this->systems->source($this->log->route->source), $carrier->definition);

            return null;
        } catch (Explained $trouble) {
            return $trouble->mayPass() ? throw $trouble : $trouble;
        }
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
        $landing->copied($carrier->uid, $landing->sequence($carrier->uid));
    }

    private function expected(TableName $table): ?int
    {
        if ($this->expected === []) {
            foreach ($this->systems->source($this->log->route->source)->catalogue() as $entry) {
                $this->expected[(string) $entry->table] = $entry->estimatedRows;
            }
        }

        return $this->expected[(string) $table] ?? null;
    }

    /** Forgets a feed that is to begin anew. */
    private function discard(object $row): void
    {
        unset($this->carriers[$row->id]);
        $this->byRelation = [];
        $feed = Feed::with('definition')->findOrFail($row->id);
        $this->systems->target($this->log->route->target)->discard($feed->uid);
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
     * What the source refuses of one feed is that feed's trouble.
     *
     * @template T
     *
     * @param  callable(): T  $do
     * @return T
     */
    public function atSource(Carrier $carrier, callable $do): mixed
    {
        try {
            return $do();
        } catch (SystemTrouble $trouble) {
            if ($trouble->mayPass()) {
                throw $trouble;
            }
            $moved = $this->shapeTrouble($carrier);
            throw new SetApart($carrier, $moved ?? $trouble, $moved === null ? 'failed' : self::standingFor($moved));
        }
    }
}
