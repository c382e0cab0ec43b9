<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\Feed;
use App\Models\Route;
use App\Models\RouteLog;
use App\Models\System;
use App\Runtime\Common\Systems;
use App\Support\Audit;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Str;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\Kind\Kinds;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Carrying\AskedLoad;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Definition\SliceCheck;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Port\TargetSystem;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Trouble\Act;
use Lighterman\Core\Trouble\InvalidDefinition;
use Lighterman\Core\Trouble\LandedTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/** Every change a person makes to feeds goes through here, and into the audit trail. */
final class FeedBook
{
    /**
     * Creates the feeds, all or none, and makes them due.
     *
     * @param  list<FeedDefinition>  $definitions
     * @param  bool  $paused  whether they wait until somebody resumes them
     * @return list<Feed>
     *
     * @throws InvalidDefinition when a name or a landed table is taken
     */
    public static function create(System $source, System $target, array $definitions, bool $paused = false): array
    {
        return DB::transaction(function () use ($source, $target, $definitions, $paused): array {
            // One at a time, so that two people cannot take the same name or landed table between check and insert.
            DB::select('SELECT pg_advisory_xact_lock(?)', [crc32('lighterman feeds')]);
            $route = Route::firstOrCreate(['source_id' => $source->id, 'target_id' => $target->id], ['name' => "{$source->name} → {$target->name}"]);
            $feeds = [];
            foreach (Kinds::streams() as $kind) {
                if (array_filter($definitions, static fn (FeedDefinition $d): bool => $d->origin->capture === $kind->capture()) !== []) {
                    self::logOf($route, $kind->capture());
                }
            }
            foreach ($definitions as $definition) {
                self::refuseTaken($definition, $target);
                $feed = Feed::create([
                    'uid' => (string) Str::uuid(), 'route_id' => $route->id, 'name' => $definition->name, 'landed' => (string) $definition->destination->table,
                    'capture' => $definition->origin->capture->value, 'promise_seconds' => $definition->promiseSeconds, 'due_at' => $definition->kind()->bringsChanges() || $paused ? null : now(), 'why' => 'started', 'paused_at' => $paused ? now() : null,
                ]);
                self::version($feed, $definition);
                Audit::record('created', 'feed', $feed->name, null, $definition->toArray());
                $feeds[] = $feed;
            }

            return $feeds;
        });
    }

    /** Makes a new version of a feed's definition. The source table, key, capture and landed table of a feed stay. */
    public static function change(Feed $feed, FeedDefinition $definition): void
    {
        DB::transaction(function () use ($feed, $definition): void {
            $before = $feed->definition->body;
            if ($before == $definition->toArray()) {
                return;
            }
            DB::select('SELECT pg_advisory_xact_lock(?)', [crc32('lighterman feeds')]);
            self::refuseShared($definition, $feed->route->target, $feed);
            self::version($feed, $definition);
            $feed->update(['promise_seconds' => $definition->promiseSeconds, 'due_at' => $definition->schedule->kind === 'manual' || $definition->kind()->bringsChanges() ? null : now()]);
            Audit::record('changed', 'feed', $feed->name, self::differing($before, $definition->toArray()), self::differing($definition->toArray(), $before));
        });
    }

    /** @param  iterable<Feed>  $feeds */
    public static function pause(iterable $feeds): int
    {
        return self::each($feeds, 'paused', static fn (Feed $f): ?array => $f->paused_at === null ? ['paused_at' => now()] : null);
    }

    /**
     * Resumes what is paused, held or failed, be it by the trouble of a log that it shares with others.
     *
     * @param  iterable<Feed>  $feeds
     */
    public static function resume(iterable $feeds): int
    {
        return self::each($feeds, 'resumed', static fn (Feed $f): ?array => $f->paused_at === null && ! in_array($f->state(), ['held', 'failed'], true) ? null : [
            'paused_at' => null, 'due_at' => $f->bringsChanges() ? null : now(), 'failures' => 0, 'why' => 'asked', 'trouble' => null,
            'standing' => in_array($f->standing, ['held', 'failed'], true) ? match (true) {
                $f->complete_up_to !== null && ! ($f->asked()->mends ?? false) => 'carried', $f->sequence === 0 => 'new', default => 'loading',
            } : $f->standing,
        ]);
    }

    /** @param  iterable<Feed>  $feeds */
    public static function runNow(iterable $feeds): int
    {
        return self::each($feeds, 'asked to run', static fn (Feed $f): ?array => in_array($f->state(), ['paused', 'held'], true) ? null : ['due_at' => $f->bringsChanges() ? null : now(), 'why' => 'asked']);
    }

    /**
     * Has the small files of what the feeds have landed joined; those that land in no lake have none.
     *
     * @param  iterable<Feed>  $feeds
     */
    public static function joinFiles(iterable $feeds): int
    {
        return self::each($feeds, 'asked to join files', static fn (Feed $f): ?array => $f->landsInFiles() ? ['join_asked' => true] : null);
    }

    /**
     * Has a feed read a table, or a part of it, again and mend what differs in the copy. A feed of changes goes on meanwhile;
     * one that had failed or was held goes on with it.
     *
     * @throws InvalidDefinition when the feed cannot, or the part is none of the table
     */
    public static function reload(Feed $feed, Slice $slice): void
    {
        $feed = Feed::with('definition')->findOrFail($feed->id);
        $definition = $feed->definition->parsed();
        SliceCheck::check($slice, $definition);
        $lost = $feed->trouble?->remedy->act === Act::LoadAgain;
        $why = match (true) {
            ! $definition->kind()->loadsAgain() => ['files are taken again one by one, on its page Files', 'Have them taken again there, or start the feed over.'],
            $feed->complete_up_to === null && ! $lost => ['its first load has not come to its end', 'Wait for it, or start over.'],
            $definition->destination->landing->adds() && ! $slice->isWhole() => ['landing append would add the rows once more', 'Repair what landed by landing upsert or versions, or load the whole table again.'],
            $definition->destination->landing->adds() && ! $feed->bringsChanges() && ! $lost => ['landing append would add every row once more', 'Start the feed over.'],
            $definition->destination->landing->swaps() && ! $slice->isWhole() => ['landing replace swaps the whole table', 'Load the whole table again.'],
            default => null,
        };
        if ($why !== null) {
            throw InvalidDefinition::at($feed->name, "it cannot be loaded again: {$why[0]}", $why[1]);
        }
        self::each([$feed], 'asked to load again', static fn (Feed $f): array => ($slice->keys === null || ! $f->bringsChanges() ? ['reload' => (match (true) {
            // What mends reads all of it anyway, and must not be given up for a part.
            ! $lost && ($f->asked()->mends ?? false) => new AskedLoad(Slice::whole(), true, asked: now()->format('c u')),
            default => new AskedLoad($slice, $lost, asked: now()->format('c u')),
        })->toArray()] : ['rereads' => [...$f->rereads ?? [], ...$slice->keys]])
            + ($f->bringsChanges() ? [] : ['due_at' => $f->paused_at === null ? now() : null, 'why' => 'asked'])
            + (in_array($f->standing, ['held', 'failed'], true) ? ['standing' => $lost ? 'loading' : 'carried', 'trouble' => null, 'failures' => 0] : []));
    }

    /** Has a load under way begin again, since what it has landed is not as it is to be. */
    public static function loadFromStart(Feed $feed): void
    {
        self::each([$feed], 'asked to load from the start', static fn (Feed $f): array => ['reload' => AskedLoad::mending()->toArray()] + ($f->bringsChanges() ? [] : ['due_at' => $f->paused_at === null ? now() : null, 'why' => 'asked']));
    }

    /**
     * Agrees to the shape that a feed's table has now.
     *
     * @return bool whether the table is loaded again
     *
     * @throws SystemTrouble naming the statements that the landed tables need first
     */
    public static function agreeToPresent(Feed $feed, Systems $systems): bool
    {
        $shape = $systems->source($feed->route->source)->shape($feed->definition->parsed()->origin->table);
        $definition = FeedDefinition::fromArray(['shape' => $shape->toArray()] + $feed->definition->body);
        $target = $systems->target($feed->route->target);
        self::refuseLost($feed, $definition, $target);
        $target->prepare($definition->landedTable(), $feed->uid)->demandClear(null, $definition->destination->table, "Run this on {$feed->route->target->name}, then agree again: ");

        return self::agree($feed, $definition);
    }

    /**
     * Files cannot be altered: where a column went and another came, rows that are there would have neither of them.
     *
     * @throws LandedTrouble
     */
    private static function refuseLost(Feed $feed, FeedDefinition $definition, TargetSystem $target): void
    {
        $names = static fn (FeedDefinition $d): array => array_map(static fn (Column $c): string => $c->name, $d->landedTable()->columns());
        [$before, $after] = [$names($feed->definition->parsed()), $names($definition)];
        [$gone, $come] = [array_diff($before, $after), array_diff($after, $before)];
        if ($gone !== [] && $come !== [] && ! $definition->destination->landing->swaps() && $feed->sequence > 0 && $target->capabilities()->partitions) {
            throw LandedTrouble::columnsLost($feed->route->target->name, $definition->destination->table, array_values($gone), array_values($come));
        }
    }

    /**
     * Takes the present shape of a table as agreed, and has the feed go on. What rows hold in a column that is new, or was given
     * another type, no change tells, so the table is loaded again for it; a journal has it from the next change on.
     *
     * @return bool whether it is loaded again
     */
    private static function agree(Feed $feed, FeedDefinition $definition): bool
    {
        $before = $feed->definition->parsed()->carried();
        $moved = array_filter($definition->carried()->columns, static fn (Column $c): bool => ($was = $before->column($c->name)) === null || ! $was->type->equals($c->type));
        // Of a first load, what was read before has to be read again too.
        $again = $moved !== [] && ! $definition->destination->landing->adds() && $feed->stands()->hasBegun() && $definition->origin->files === null;
        self::change($feed, $definition);
        $again && self::each([$feed], 'agreed to a new shape of', static fn (): array => ['reload' => AskedLoad::mending()->toArray()]);
        self::resume([$feed->refresh()]);

        return $again;
    }

    /** @param  'carry'|'keep'  $what  whether the copy of a table that was emptied is emptied too */
    public static function decideEmptied(Feed $feed, string $what): void
    {
        self::each([$feed], $what === 'carry' ? 'let the copy be emptied' : 'kept the rows of an emptied table', static fn (): array => ['emptied' => $what]);
        self::resume([$feed->refresh()]);
    }

    /** Has a log that is lost made anew, and every table loaded again beside its changes. */
    public static function beginAnew(RouteLog $log): void
    {
        DB::transaction(function () use ($log): void {
            Audit::record('began anew', 'route', $log->route()->value('name'), null, ['capture' => $log->capture]);
            $log->update(['anew_asked' => true, 'due_at' => now(), 'failures' => 0]);
        });
    }

    /** @param  array{warn_bytes: int, spool_bytes: int, drop_bytes: int|null}  $limits */
    public static function limit(RouteLog $log, array $limits): void
    {
        DB::transaction(function () use ($log, $limits): void {
            Audit::record('limited the log of', 'route', $log->route->name, $log->only(array_keys($limits)), $limits);
            $log->update($limits);
        });
    }

    /** Stops the feed and has what it landed removed, so that it can begin anew. It stays paused until resumed. */
    public static function startOver(Feed $feed): void
    {
        self::each([$feed], 'started over', static fn (): array => ['paused_at' => now(), 'cancel_asked' => true, 'due_at' => now()]);
    }

    /** Removes a feed. The landed table and its rows stay. */
    public static function remove(Feed $feed): void
    {
        DB::transaction(function () use ($feed): void {
            Audit::record('removed', 'feed', $feed->name, $feed->definition->body);
            $feed->delete();
            self::wake($feed->route);
        });
    }

    /**
     * @param  iterable<Feed>  $feeds
     * @param  callable(Feed): (array<string, mixed>|null)  $change
     */
    private static function each(iterable $feeds, string $action, callable $change): int
    {
        $changed = 0;
        foreach ($feeds as $feed) {
            DB::transaction(function () use ($feed, $action, $change, &$changed): void {
                $feed = Feed::lockForUpdate()->findOrFail($feed->id);
                $values = $change($feed);
                if ($values !== null) {
                    Audit::record($action, 'feed', $feed->name, ['state' => $feed->state()]);
                    $feed->update($values);
                    if ($feed->bringsChanges()) {
                        self::wake($feed->route);
                    }
                    $changed++;
                }
            }, 3);
        }

        return $changed;
    }

    /** Has the route's changes read from now on; all its feeds of one capture share what they are read by. */
    private static function logOf(Route $route, Capture $capture): void
    {
        RouteLog::firstOrCreate(['route_id' => $route->id, 'capture' => $capture->value], Systems::named($route->source, $route->target, $capture) + ['due_at' => now()]);
        self::wake($route);
    }

    /** Has a log that waits, or has failed, looked at again. */
    public static function wake(Route $route): void
    {
        RouteLog::where('route_id', $route->id)->update(['due_at' => now()]);
    }

    private static function refuseTaken(FeedDefinition $definition, System $target): void
    {
        if (Feed::where('name', $definition->name)->exists()) {
            throw InvalidDefinition::at($definition->name, 'a feed of this name exists', 'Give this one another name.');
        }
        self::refuseShared($definition, $target, null);
    }

    /** Two feeds, or forks of them, that land in one table would undo each other's work. */
    private static function refuseShared(FeedDefinition $definition, System $target, ?Feed $own): void
    {
        $tables = [(string) $definition->destination->table, ...array_map(static fn (LandedTable $t): string => (string) $t->name, array_values($definition->landedTable()->forks->tables))];
        foreach ($tables as $table) {
            $other = Feed::whereKeyNot($own->id ?? 0)->whereHas('route', fn ($q) => $q->where('target_id', $target->id))
                ->where(fn ($q) => $q->where('landed', $table)->orWhereHas('definition', fn ($d) => $d->whereRaw("body->'treatment'->'forks' @> jsonb_build_array(jsonb_build_object('landed', ?::text))", [$table])))->first();
            if ($other !== null) {
                throw InvalidDefinition::at("{$definition->name}: landed", "the feed \"{$other->name}\" lands in {$table} of {$target->name} already", 'Choose another landed table.');
            }
        }
    }

    private static function version(Feed $feed, FeedDefinition $definition): void
    {
        $version = (int) $feed->definitions()->max('version') + 1;
        $stored = $feed->definitions()->create(['version' => $version, 'body' => $definition->toArray(), 'person' => Audit::person(), 'created_at' => now()]);
        $feed->update(['definition_id' => $stored->id]);
    }

    /**
     * @param  array<string, mixed>  $of
     * @param  array<string, mixed>  $from
     * @return array<string, mixed> the entries of the first that differ in the second
     */
    private static function differing(array $of, array $from): array
    {
        return array_filter($of, static fn (mixed $v, string $k): bool => $v != ($from[$k] ?? null), ARRAY_FILTER_USE_BOTH);
    }
}
