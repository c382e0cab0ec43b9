<?php

declare(strict_types=1);

namespace App\Runtime\Query;

use App\Models\Definition;
use App\Models\Feed;
use App\Models\Run;
use App\Models\SetAside;
use App\Models\System;
use App\Runtime\Common\Fault;
use App\Runtime\Common\FileJoining;
use App\Runtime\Common\ShapeCheck;
use App\Runtime\Common\Systems;
use App\Runtime\Common\TakenBook;
use App\Runtime\Treating\AsideBook;
use App\Runtime\Treating\OtherRow;
use App\Runtime\Treating\Treating;
use App\Runtime\Treating\WatchCounter;
use App\Runtime\Work\Lease;
use App\Runtime\Work\Leases;
use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\BoundNote;
use Lighterman\Core\Capture\ReadPlan;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Carrying\AskedLoad;
use Lighterman\Core\Carrying\Gap;
use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Carrying\RowTreating;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Port\BrokenFile;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\JoinedFiles;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\ReadAgain;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\StreamTrouble;
use Lighterman\Core\Trouble\SystemTrouble;
use Throwable;

/**
 * Carries one feed once: the commit protocol.
 *
 * Read a batch; land rows, position and receipt in one transaction of the target; copy the receipt here. After a crash
 * the target's position is the truth and the copies here are brought up to it.
 */
final class FeedRunner
{
    /** So many definitions are kept read. */
    private const DEFINITIONS = 500;

    /** @var array<int, Definition> by number: a version never changes, and reading it compiles its treatment */
    private array $definitions = [];

    private readonly TargetCopy $copy;

    /** @var callable(): bool whether this process was asked to stop */
    private $stopping;

    /** @param  callable(): bool  $stopping */
    public function __construct(private readonly Systems $systems, private readonly Leases $leases, callable $stopping)
    {
        $this->stopping = $stopping;
        $this->copy = new TargetCopy($systems);
    }

    public function run(Lease $lease): void
    {
        $feed = $this->feed($lease->of);
        $recorder = null;
        try {
            $waits = self::waits($feed);
            if ($waits->lost) {
                $this->endLostRuns($feed);
            }
            if ($feed->cancel_asked) {
                $this->discard($feed);
            }
            if ($feed->paused_at === null && $feed->standing !== 'held') {
                $this->carry($feed, $lease, $recorder, $waits->asked);
            } else {
                (new RunEnd($feed))->dueNext(null, $feed->why);
            }
        } catch (LeaseLost $lost) {
            self::lost($lost, $recorder);
        } catch (Explained $trouble) {
            try {
                // Whoever took over ends the session of who had stood still.
                $this->leases->renew($lease);
                $this->failed($feed, $trouble, $recorder);
            } catch (LeaseLost $lost) {
                self::lost($lost, $recorder);
            }
        } catch (Throwable $e) {
            $this->failed($feed, Fault::trouble("feed {$feed->name}", $e, 'carrying this feed'), $recorder);
        } finally {
            $this->leases->release($lease);
        }
    }

    /** A feed with what a run needs of it. */
    private function feed(int $id): Feed
    {
        $feed = Feed::with('route')->findOrFail($id);
        $systems = System::findMany([$feed->route->source_id, $feed->route->target_id])->keyBy('id');
        $feed->route->setRelation('source', $systems[$feed->route->source_id])->setRelation('target', $systems[$feed->route->target_id]);
        if (count($this->definitions) > self::DEFINITIONS) {
            $this->definitions = [];
        }

        return $feed->setRelation('definition', $this->definitions[(int) $feed->definition_id] ??= $feed->definition);
    }

    /** @return \stdClass&object{lost: bool, asked: bool} whether a run of a worker that died stands open, and whether records are to be sent again */
    private static function waits(Feed $feed): \stdClass
    {
        return DB::selectOne("SELECT EXISTS (SELECT 1 FROM runs WHERE feed_id = ? AND state = 'running') AS lost, EXISTS (SELECT 1 FROM set_aside WHERE ".SetAside::ASKED.') AS asked', [$feed->id, $feed->id]);
    }

    private static function lost(LeaseLost $lost, ?RunRecorder $recorder): void
    {
        $recorder?->say($lost->getMessage(), 'error');
        $recorder?->end('lost');
    }

    /** Joins the small files of what the feed has landed, whether it is due or paused. */
    public function join(Lease $lease): void
    {
        $feed = Feed::with('route.target', 'definition')->findOrFail($lease->of);
        try {
            $this->endLostRuns($feed);
            FileJoining::run($feed, $lease->worker, function () use ($feed, $lease): ?JoinedFiles {
                $delivery = $this->deliver($feed, $feed->definition->parsed(), $lease);
                try {
                    return $delivery->join();
                } finally {
                    $delivery->close();
                }
            });
        } catch (LeaseLost) {
            // Whoever holds the feed now sees that it was asked for.
        } finally {
            $this->leases->release($lease);
        }
    }

    /** @param  bool  $asked  whether records that were set aside are to be sent again */
    private function carry(Feed $feed, Lease $lease, ?RunRecorder &$recorder, bool $asked): void
    {
        $started = now()->toImmutable();
        $definition = $feed->definition->parsed();
        $source = $this->systems->source($feed->route->source);
        $clock = hrtime(true);
        if ($definition->origin->files === null) {
            // Files are compared with the agreed shape one by one, as they are read.
            ShapeCheck::agreed($source, $definition);
        }
        if ($definition->kind()->takesWatermark()) {
            $this->compare($feed, $source, $definition);
        }
        $taken = new TakenBook($feed->id);
        $slice = $feed->asked()?->slice;
        // A reload reads everything anyway.
        $oneSlice = $slice !== null && ! ($slice->isWhole() && $definition->kind()->readsWhole());
        $plannedAt = 0;
        $planned = function (Position $at) use ($feed, $source, $definition, $taken, $slice, $oneSlice, &$plannedAt): ReadPlan {
            $plannedAt = SteadyClock::micros();

            return $oneSlice ? ReadPlan::again($at, $slice) : $source->plan($definition, $at, BoundNote::fromArray($feed->note), $taken);
        };
        $plan = $planned($feed->stands());
        $planning = self::since($clock);
        if ($plan->empty && ! $asked && ! $this->copy->isOlder($feed, $definition)) {
            RunRecorder::empty($feed, $lease, $plan, $planning);
            (new RunEnd($feed))->completed($plan, $plannedAt, $definition, $started);

            return;
        }
        $delivery = $this->deliver($feed, $definition, $lease, $slice?->isWhole() || ($definition->kind()->readsWhole() && ! $definition->destination->landing->adds()));
        try {
            $older = $delivery->sequence() < $feed->sequence;
            if ($this->copy->catchUp($feed, $delivery)) {
                $plan = $planned($feed->stands());
            }
            $recorder = RunRecorder::begin($feed, $lease, $plan, $planning);
            $older && $recorder->say('The target stands where it stood earlier: somebody has put an older state back. What came since is brought again.', 'caution');
            $bounds = Treating::bounds($definition, $feed->route->target);
            $treater = Treating::of($definition, $feed->route->source->name, $recorder->run->id);
            $treated = new TreatedLanding($delivery, new RowTreating($definition, $treater, $bounds, new AsideBook($feed->id, $feed->definition->id, $definition, $lease), new WatchCounter($feed->id, $definition), $recorder->run->id), $recorder);
            $refuses = fn (LandedTable $table, string $lines): ?SystemTrouble => $this->systems->target($feed->route->target)->refuses($table, $lines);
            while ($asked) {
                try {
                    $treated->again($feed->id, $definition, $bounds, $lease, new OtherRow($definition, $treater, $this->systems->target($feed->route->target)), function () use ($lease, $feed): bool {
                        $this->leases->renew($lease);

                        return ! $this->toldToStop($feed);
                    });
                    break;
                } catch (SystemTrouble $trouble) {
                    $treated->tries($trouble, $refuses) || throw $trouble;
                }
            }
            if (! $plan->empty) {
                Announcement::announce($feed, $plan, $source, $definition, $recorder);
            }
            $refused = [];
            for ($whole = $plan->empty; ! $whole;) {
                try {
                    $whole = $this->batches($feed, $lease, $plan, $source, $treated, $definition, $recorder);
                    break;
                } catch (ReadAgain $again) {
                    $recorder->say($again->getMessage());
                } catch (SystemTrouble $trouble) {
                    $treated->tries($trouble, $refuses) || throw $trouble;
                } catch (BrokenFile $broken) {
                    if ($plan->kind !== 'files') {
                        throw $broken;
                    }
                    $delivery->abandon();
                    $refused[$broken->path] = $broken->fault;
                }
                $plan = $planned($delivery->position())->refusing($refused);
                $treated->begin();
            }
            $this->copy->tidy($feed, $delivery);
        } finally {
            $delivery->close();
        }
        $treated->close();
        if ($whole && $plan->kind === 'load' && ($missing = $source->withoutWatermark($definition)) > 0) {
            $recorder->say("{$missing} rows have no {$definition->origin->watermarkColumn()} and are never carried.", 'warning');
        }
        if ($whole && $plan->kind === 'load' && $definition->origin->watermarkColumn() !== null && ($ahead = $source->facts($definition->origin->table, $definition->origin->key)->columns[$definition->origin->watermarkColumn()]->ahead ?? 0) > 0) {
            $recorder->say("{$ahead} rows have a {$definition->origin->watermarkColumn()} ahead of the source's clock. Each is carried once the clock has passed it; one at infinity never is.", 'warning');
        }
        $recorder->end($whole ? 'done' : 'paused');
        if ($whole && $oneSlice) {
            (new RunEnd($feed))->loadedAgain();
            $feed->update(['standing' => 'carried', 'progress' => null, 'trouble' => null, 'failures' => 0, 'due_at' => now(), 'why' => 'schedule']);
        } elseif ($whole) {
            (new RunEnd($feed))->completed($plan, $plannedAt, $definition, $started);
        } else {
            // A stopping worker leaves the feed due for the next one, and a cancelled load has to be cleared away; a person's
            // pause keeps it until resumed.
            DB::update('UPDATE feeds SET due_at = CASE WHEN paused_at IS NULL OR cancel_asked THEN now() END WHERE id = ?', [$feed->id]);
        }
    }

    private function deliver(Feed $feed, FeedDefinition $definition, Lease $lease, bool $anew = false): RowDelivery
    {
        return RowDelivery::open($this->systems->target($feed->route->target), $definition->landedTable(), Holder::feed($feed->uid, $lease->token, fn () => $this->leases->renew($lease)), $anew);
    }

    /**
     * Rows of a table that is not the one it was have no watermark to be found by, so it is read again whole.
     *
     * @throws SystemTrouble where that would add every row once more
     */
    private function compare(Feed $feed, SourceSystem $source, FeedDefinition $definition): void
    {
        $now = $source->identity($definition->origin->table);
        $was = $feed->identity === null ? null : TableIdentity::fromArray($feed->identity);
        if ($now === null || ($was !== null && $now->toArray() == $was->toArray())) {
            return;
        }
        // Where rows are added, what need not have touched them is not worth starting over for.
        $why = $was === null || ! $feed->stands()->hasBegun() ? null : ($definition->destination->landing->adds() ? $now->unrecorded() : $now)->since($was, $definition->carried()->names());
        if ($why !== null && $definition->destination->landing->adds()) {
            throw StreamTrouble::sourceReplaced($definition->origin->table, $why);
        }
        $feed->update(['identity' => $now->toArray()] + ($why === null ? [] : ['reload' => AskedLoad::mending()->toArray(), 'standing' => 'loading', 'gap' => (new Gap(now(), ucfirst($why)))->toArray()]));
    }

    /** @return bool whether the plan was read to its end */
    private function batches(Feed $feed, Lease $lease, ReadPlan $plan, SourceSystem $source, TreatedLanding $landing, FeedDefinition $definition, RunRecorder $recorder): bool
    {
        $reader = $source->reader($definition, $plan);
        $checked = SteadyClock::seconds();
        $stop = false;
        $reading = 0.0;
        try {
            while (true) {
                $clock = hrtime(true);
                $batch = $reader->next();
                $reading += self::since($clock);
                if ($batch === null) {
                    $landing->settle();

                    return true;
                }
                $receipt = $landing->land($batch, $reading, $plan->kind === 'reload');
                $receipt === null || Announcement::sayEmpty($receipt->to->files(), $recorder);
                $reading = $receipt === null ? $reading : 0.0;
                Announcement::add($feed, $batch->rows);
                if (SteadyClock::seconds() - $checked > 0.5) {
                    $checked = SteadyClock::seconds();
                    $this->leases->renew($lease);
                    $feed->save();
                }
                // What is changed about a feed, as by a mask, holds before the next batch is read.
                $stop = $stop || ($this->stopping)() || $this->toldToStop($feed);
                // A reload has no receipt before its end; anything else stops at one, so that nothing is read twice.
                if ($stop && ($receipt !== null || $plan->kind === 'reload' || $landing->settle() !== null)) {
                    return false;
                }
            }
        } finally {
            $reader->close();
        }
    }

    /** Runs of a worker that died are closed by whoever takes the feed next. */
    private function endLostRuns(Feed $feed): void
    {
        Run::where('feed_id', $feed->id)->where('state', 'running')->update(['state' => 'lost', 'ended_at' => now()]);
    }

    private function toldToStop(Feed $feed): bool
    {
        $now = DB::table('feeds')->where('id', $feed->id)->first(['paused_at', 'cancel_asked', 'definition_id']);

        return $now === null || $now->paused_at !== null || $now->cancel_asked || (int) $now->definition_id !== (int) $feed->definition_id;
    }

    private function failed(Feed $feed, Explained $trouble, ?RunRecorder $recorder): void
    {
        $this->systems->forget();
        (new RunEnd($feed))->failed($trouble, $recorder);
    }

    /** Forgets a load that was cancelled: what it landed is removed, if Lighterman had made the table. */
    private function discard(Feed $feed): void
    {
        $this->systems->target($feed->route->target)->discard($feed->uid);
        $feed->forgetLanded();
    }

    private static function since(int $clock): float
    {
        return (hrtime(true) - $clock) / 1e6;
    }
}
