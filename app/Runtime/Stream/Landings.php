<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use App\Models\Feed;
use App\Runtime\Common\TableEmptied;
use App\Runtime\Treating\Treating;
use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Carrying\Carrier;
use Lighterman\Core\Carrying\SetApart;
use Lighterman\Core\Carrying\Spent;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Landing\Truncates;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Arrival;
use Lighterman\Core\Record\Receipt;

/**
 * Hands changes of feeds to the target. Whichever way they came, from the stream, from the spool or from where they had been
 * set aside, they land through here, so that what has to be seen to before and afterwards is never left out.
 */
final readonly class Landings
{
    public function __construct(private RouteStream $stream, private Refusals $refusals, private Recording $recording, private Loads $loads, public LandingSession $target)
    {
    }

    public function begin(): void
    {
        $this->refusals->atTarget($this->target->begin(...));
    }

    /** What is set aside, or stamped, names its run. */
    public function runs(Carrier $carrier): void
    {
        if ($carrier->treating->isTreated()) {
            $run = $this->stream->recorder->run($carrier);
            $carrier->treating->runs($run, fn (): array => Treating::stamps($this->stream->sourceName(), $run));
        }
    }

    /**
     * Commits what was applied of one feed.
     *
     * @param  string|null  $sourceTime  commit time of the last transaction, ISO 8601 UTC
     */
    public function commit(Carrier $carrier, Position $to, ?string $sourceTime): Receipt
    {
        return $this->refusals->atTarget(fn (): array => $this->target->commit([$this->arrival($carrier, $to)], null, $sourceTime), $carrier)[$carrier->feed->uid];
    }

    public function arrival(Carrier $carrier, Position $to): Arrival
    {
        return $carrier->treating->arrival($carrier->feed->uid, $to, $this->stream->recorder->run($carrier));
    }

    /** Hands what a feed's plan holds to the target, which may keep it until its transaction ends. */
    public function apply(Carrier $carrier): void
    {
        $this->settleStart($carrier);
        $carrier->treating->aside->flush();
        $this->loads->writeDown($carrier);
        $this->refusals->atTarget(fn () => $this->target->apply($carrier->feed->uid, $carrier->plan), $carrier);
    }

    /** Tells the entries of a journal from what its first load brings. */
    public function settleStart(Carrier $carrier): void
    {
        $carrier->settleStart(fn (array $reached, array $keys): array => $this->recording->atSource($carrier, fn (): array => $this->stream->changes->passed($carrier->definition, $reached, $keys)));
    }

    /**
     * A table was emptied at the source. A person's decision holds.
     *
     * @param  callable(): void  $write  what has to land before
     * @return bool whether the copy is emptied too
     *
     * @throws SetApart where it is yet to be decided
     */
    public function truncate(Carrier $carrier, SourceCommit $commit, int $number, callable $write): bool
    {
        if ($carrier->definition->destination->truncates === Truncates::Hold) {
            $decided = DB::table('feeds')->where('id', $carrier->feed->id)->value('emptied');
            if ($decided === null) {
                throw new SetApart($carrier, TableEmptied::at($carrier->definition->origin->table, $commit->time()), 'held');
            }
            $carrier->decided = true;
            if ($decided === 'keep') {
                return false;
            }
        }
        $write();
        $this->refusals->atTarget(fn () => $this->target->truncate($carrier->feed->uid, $commit, $number), $carrier);

        return true;
    }

    /**
     * What a feed holds has landed.
     *
     * @param  ClockOffset  $clock  of the source, by which it says when changes were made
     */
    public function landed(Carrier $carrier, Receipt $receipt, ClockOffset $clock, Spent $spent): void
    {
        $now = SteadyClock::micros();
        $carrier->plan->clear();
        $carrier->position = $receipt->to;
        $this->stream->recorder->warned($carrier, $carrier->treating->warned());
        $carrier->treating->landedAs($receipt->sequence);
        if ($carrier->decided) {
            $carrier->decided = false;
            Feed::whereKey($carrier->feed->id)->update(['emptied' => null]);
        }
        $this->stream->recorder->landed($carrier, $receipt);
        $this->stream->recorder->delivered($carrier, array_map(static fn (array $c): array => [$clock->ours($c[0]), $c[1]], $carrier->times->take()), $now, $spent);
    }
}
