<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use App\Models\Definition;
use App\Models\Feed;
use App\Runtime\Common\Receipts;
use App\Runtime\Common\ShapeCheck;
use App\Runtime\Treating\AsideBook;
use App\Runtime\Treating\Treating;
use App\Runtime\Treating\WatchCounter;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Carrying\AskedLoad;
use Lighterman\Core\Carrying\CarriedFeed;
use Lighterman\Core\Carrying\Carrier;
use Lighterman\Core\Carrying\Gap;
use Lighterman\Core\Carrying\SetApart;
use Lighterman\Core\Carrying\Spent;
use Lighterman\Core\Carrying\Stage;
use Lighterman\Core\Landing\SharedKeys;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\Positions;
use Lighterman\Core\Position\StartPosition;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\Reason;

/** Takes in the feeds of a route, lets go of those that are removed, and follows pauses and decisions. */
final class Intake
{
    /** @var array<string, int|null> rows by table, as the source estimated them when feeds were last taken in */
    private array $expected = [];

    /** @var array<int, bool> whether the target knows of nothing that has landed, by feed of which nothing has been copied */
    private array $unbegun = [];

    public function __construct(private readonly RouteStream $stream, private readonly Refusals $refusals, private readonly Recording $recording, private readonly Loads $loads)
    {
    }

    /** Has every feed load again: what stood between the copies and their source is gone. */
    public function beginAnew(): void
    {
        $log = $this->stream->log;
        $this->stream->changes->remove();
        DB::transaction(function () use ($log): void {
            DB::delete('DELETE FROM spool WHERE feed_id IN (SELECT id FROM feeds WHERE route_id = ? AND capture = ?)', [$log->route_id, $log->capture]);
            DB::update("UPDATE feeds SET reload = ?, rereads = NULL, identity = NULL, progress = NULL, complete_up_to = NULL, gap = ?, standing = CASE standing WHEN 'carried' THEN 'loading' ELSE standing END WHERE route_id = ? AND capture = ?", [json_encode(AskedLoad::mending()->toArray()), json_encode((new Gap(now(), 'What its changes were read from was lost'))->toArray()), $log->route_id, $log->capture]);
            $log->update(['anew_asked' => false, 'read_to' => null, 'standing' => 'new', 'trouble' => null]);
        });
    }

    /**
     * @param  callable(): void  $alive  called now and then; taking in hundreds of feeds takes longer than a lease lasts
     * @return bool false when no feed of the route is carried like this any more, and everything for it was removed
     */
    public function sync(?LandingSession $landing, callable $alive): bool
    {
        $log = $this->stream->log;
        $rows = DB::table('feeds')->where('route_id', $log->route_id)->where('capture', $log->capture)->orderBy('id')->get(['id', 'uid', 'name', 'definition_id', 'paused_at', 'standing', 'due_at', 'reload', 'cancel_asked', 'join_asked', 'identity', 'rereads', 'position', 'sequence', 'complete_up_to', DB::raw("trouble->>'reason' AS refused"), DB::raw("EXISTS (SELECT 1 FROM set_aside s WHERE s.feed_id = feeds.id AND s.state = 'asked' AND s.overtaken_by IS NULL) AS again")])->keyBy('id');
        if ($rows->isEmpty()) {
            $this->stream->changes->remove();
            $log->delete();

            return false;
        }
        $this->dropGone($rows->all());
        $new = [];
        foreach ($rows as $row) {
            if ($row->cancel_asked && $landing !== null) {
                $this->discard($row);

                continue;
            }
            $kept = $row->paused_at !== null || $row->standing === 'held' || ($row->standing === 'failed' && ($row->due_at === null || $row->due_at > now()->format('Y-m-d H:i:s.uP')));
            $carrier = $this->stream->roster->find($row->id);
            if ($carrier !== null && ! $carrier->admitted && $landing !== null && ! $kept) {
                // It was kept from the target when it was to be taken in.
                $this->stream->roster->remove($row->id);
                $carrier = null;
            }
            if ($carrier === null) {
                // A feed that has never begun and may not begin has nothing to keep.
                $kept && ! $this->mayHaveBegun($row, $landing) ?: $new[] = [$row, $kept];
            } else {
                $this->follow($carrier, $row, $kept, $landing);
            }
        }
        if ($new !== []) {
            $this->takeIn($new, $landing, $alive);
        }
        $this->stream->roster->lookAgain();

        return true;
    }

    /** What landed before a crash may not have been copied; where the target cannot be asked, it has to be reckoned with. */
    private function mayHaveBegun(\stdClass $row, ?LandingSession $landing): bool
    {
        return $row->position !== null || $landing === null || ! ($this->unbegun[$row->id] ??= $this->refusals->atTarget(static fn (): int => $landing->sequence($row->uid)) === 0);
    }

    private function follow(Carrier $carrier, \stdClass $row, bool $kept, ?LandingSession $landing): void
    {
        if ($carrier->isKept() && ! $kept) {
            if (! ($this->recording->lookForGaps([$carrier]) && $this->recording->hasShape($carrier))) {
                // What had kept it from going on keeps it still.
                return;
            }
            $carrier->goes(Stage::CatchingUp);
        } elseif ($kept && ! $carrier->isKept()) {
            $carrier->goes(Stage::Kept);
        }
        $carrier->again = $row->again;
        $carrier->joins = $row->join_asked;
        if (! $kept && $row->standing === 'failed') {
            Feed::findOrFail($carrier->feed->id)->update(['standing' => $carrier->load->mends || $carrier->position->isLoading() ? 'loading' : 'carried', 'trouble' => null]);
        }
        $this->loads->follow($carrier, $row, $landing);
    }

    /** @param  array<int, \stdClass>  $rows */
    private function dropGone(array $rows): void
    {
        foreach ($this->stream->roster->all() as $id => $carrier) {
            $row = $rows[$id] ?? null;
            if ($row !== null && (int) $row->definition_id === $carrier->feed->definition) {
                continue;
            }
            $this->stream->roster->remove($id);
            $source = $carrier->definition->origin->table;
            $others = array_filter($this->stream->roster->all(), static fn (Carrier $c): bool => (string) $c->definition->origin->table === (string) $source);
            if ($row === null && $others === []) {
                $this->stream->changes->leave([$source]);
            }
        }
    }

    /**
     * @param  list<array{\stdClass, bool}>  $new  rows, and whether they may not land
     * @param  callable(): void  $alive
     */
    private function takeIn(array $new, ?LandingSession $landing, callable $alive): void
    {
        $definitions = Definition::whereIn('id', array_map(static fn (array $n): int => (int) $n[0]->definition_id, $new))->get()->keyBy('id');
        $carriers = $rows = [];
        foreach ($new as [$row, $kept]) {
            $definition = $definitions[$row->definition_id]->parsed();
            $feed = new CarriedFeed((int) $row->id, $row->uid, $row->name, (int) $row->definition_id);
            $carrier = new Carrier($feed, $definition, $row->position === null ? new StartPosition : Positions::fromJson($row->position), Treating::bounds($definition, $this->stream->log->route->target), new AsideBook($feed->id, $feed->definition, $definition, $this->stream->lease), new WatchCounter($feed->id, $definition));
            $kept && $carrier->goes(Stage::Kept);
            if (Reason::tryFrom((string) $row->refused)?->concernsRecords()) {
                $carrier->treating->tries($this->refusals->trial());
            }
            $carrier->identity = $row->identity === null ? null : TableIdentity::fromArray(json_decode($row->identity, true));
            // Before anything may hold it: whether its changes have to be kept from here on only this tells after a crash.
            if ($landing !== null && $this->mayHaveBegun($row, $landing)) {
                $this->refusals->atTarget(fn () => $this->catchUp($carrier, $landing, (int) $row->sequence));
            }
            $carriers[] = $carrier;
            $rows[$feed->id] = $row;
        }
        $landed = $landing?->position();
        $ready = $this->recording->begin($carriers, $landed === null ? null : $this->stream->changes->place($landed));
        foreach ($this->stream->changes->sharing(array_map(static fn (Carrier $c) => $c->definition, $ready)) as $number) {
            $ready[$number]->shared = new SharedKeys($ready[$number]->key);
        }
        $this->expected = [];
        foreach ($ready as $carrier) {
            try {
                $alive();
                $landing === null || $this->admit($carrier, $rows[$carrier->feed->id], $landing);
                $this->begin($carrier, $rows[$carrier->feed->id], $landing);
            } catch (SetApart $apart) {
                $this->refusals->refuse($carrier, $apart->trouble, $apart->standing);
            } catch (Explained $trouble) {
                if ($trouble->mayPass()) {
                    throw $trouble;
                }
                $this->refusals->refuse($carrier, $trouble, Refusals::standingFor($trouble));
            }
        }
    }

    /** @throws SetApart|Explained */
    private function admit(Carrier $carrier, \stdClass $row, LandingSession $landing): void
    {
        $carrier->isKept() || ShapeCheck::agreed($this->stream->source(), $carrier->definition);
        // Where the whole table is to be loaded again, nothing of what had landed is needed.
        $anew = $row->reload !== null && AskedLoad::fromArray(json_decode($row->reload, true))->slice->isWhole();
        $carrier->position = $this->refusals->atTarget(static fn (): Position => $landing->admit($carrier->definition->landedTable(), $carrier->feed->uid, $anew), $carrier);
        $carrier->admitted = true;
        $this->lookWhetherOlder($carrier, $row, $landing);
        // What waits of a feed of which nothing has landed is shown by the load that begins now.
        if ($carrier->hasYetToBegin()) {
            $carrier->load->comesFirst();
            Spool::forget($carrier->feed->id);
        }
        $carrier->treating->begin(Treating::of($carrier->definition, $this->stream->sourceName(), 0), $landing->sequence($carrier->feed->uid));
    }

    /** The source may have let go of what came since the target stood there. */
    private function lookWhetherOlder(Carrier $carrier, \stdClass $row, LandingSession $landing): void
    {
        $stands = $landing->sequence($carrier->feed->uid);
        if ($stands < (int) $row->sequence) {
            $row->sequence = Receipts::takeBack($carrier->feed->id, $stands);
            // A line that was joined is taken back whole, and what of it stands there comes again.
            $this->catchUp($carrier, $landing, (int) $row->sequence);
            $carrier->position->hasBegun() && $this->loads->again($carrier, 'the target stands where it stood earlier, for somebody has put an older state back');
        }
    }

    private function begin(Carrier $carrier, \stdClass $row, ?LandingSession $landing): void
    {
        $load = $carrier->load;
        $load->complete = $row->complete_up_to !== null;
        $carrier->joins = $row->join_asked;
        if ($landing !== null && ! $carrier->isKept() && Spool::waiting($carrier->feed->id) === 0) {
            $carrier->goes(Stage::Along);
        }
        $this->stream->roster->put($carrier);
        unset($this->unbegun[$carrier->feed->id]);
        $this->loads->follow($carrier, $row, $landing);
        $load->mends = $load->mends || $load->asked;
        $standing = $load->mends || ($carrier->position->isLoading() && $row->complete_up_to === null) ? 'loading' : 'carried';
        if (! $carrier->position->hasBegun()) {
            Feed::findOrFail($carrier->feed->id)->update(['standing' => 'loading', 'trouble' => null, 'progress' => Loads::noProgress($this->expected($carrier->definition->origin->table))->toArray()]);
            $this->stream->recorder->say($carrier, "First load of {$carrier->definition->origin->table} in key order, beside its changes.");
        } elseif (! $carrier->isKept() && (in_array($row->standing, ['new', 'failed', 'held'], true) || ($row->standing === 'loading' && $standing === 'carried'))) {
            // A load may have come to its end right before a crash, without a word of it here.
            Feed::findOrFail($carrier->feed->id)->update(['standing' => $standing, 'trouble' => null] + ($standing === 'carried' ? ['progress' => null] : []));
        }
    }

    /** What landed before a crash, and was not copied, is copied now. */
    private function catchUp(Carrier $carrier, LandingSession $landing, int $sequence): void
    {
        $receipts = $landing->receiptsAfter($carrier->feed->uid, $sequence);
        Receipts::makeRoom($carrier->feed->id, $sequence, $receipts);
        $clock = $receipts === [] ? null : $this->stream->changes->clock();
        foreach ($receipts as $receipt) {
            $this->stream->recorder->landed($carrier, $receipt);
            // Of a load nobody knows how many of its rows were changes.
            if ($clock !== null && $receipt->sourceTime !== null && $receipt->read > 0 && $receipt->from->hasBegun() && ! $receipt->from->isLoading()) {
                $this->stream->recorder->delivered($carrier, [[$clock->ours(ClockOffset::micros($receipt->sourceTime)), $receipt->read]], ClockOffset::micros($receipt->landedAt), new Spent);
            }
        }
        if ($receipts !== []) {
            $this->stream->recorder->flush();
            $carrier->position = $receipts[count($receipts) - 1]->to;
        }
        $landing->copied($carrier->feed->uid, $landing->sequence($carrier->feed->uid));
    }

    private function expected(TableName $table): ?int
    {
        if ($this->expected === []) {
            foreach ($this->stream->source()->catalogue() as $entry) {
                $this->expected[(string) $entry->table] = $entry->estimatedRows;
            }
        }

        return $this->expected[(string) $table] ?? null;
    }

    /** Forgets a feed that is to begin anew. */
    private function discard(\stdClass $row): void
    {
        $this->stream->roster->remove($row->id);
        $feed = Feed::findOrFail((int) $row->id);
        $this->stream->systems->target($this->stream->log->route->target)->discard($feed->uid);
        $feed->forgetLanded();
        // What is held of the target in memory may not show it yet.
        $this->unbegun[$feed->id] = true;
    }
}
