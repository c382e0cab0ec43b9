<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use Lighterman\Core\Carrying\Batch;
use Lighterman\Core\Carrying\Carrier;
use Lighterman\Core\Carrying\Spent;
use Lighterman\Core\Carrying\SpooledChange;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Position\StreamPosition;

/** Lands what waits in the spool for a feed that may go on, a few source transactions at a time. */
final class SpoolDrain
{
    private const MOST_SECONDS = 2.0;

    /** Changes in the plan that have not been written. */
    private int $held = 0;

    public function __construct(private readonly RouteStream $stream, private readonly Landings $landings)
    {
    }

    /** @return bool whether there was anything */
    public function some(Carrier $carrier, ClockOffset $clock): bool
    {
        $changes = $this->stream->changes;
        ! $carrier->position instanceof StreamPosition || Spool::landed($carrier->feed->id, $changes->place($carrier->position->place), $changes);
        $this->landings->runs($carrier);
        [$last, $row, $all, $started] = [null, 0, 0, hrtime(true)];
        $this->landings->begin();
        foreach (Spool::rows($carrier->feed->id, $changes) as $id => [$commit, $spooled]) {
            // Only between transactions, and soon enough for the source to hear from us in time.
            if ($last !== null && ! $last->place->covers($commit->place) && ($all >= Batch::CHANGES || hrtime(true) - $started > self::MOST_SECONDS * 1e9)) {
                break;
            }
            [$last, $row, $all] = [$commit, $id, $all + count($spooled)];
            $this->take($carrier, $commit, $spooled);
        }
        if ($last === null) {
            $this->landings->target->rollback();

            return false;
        }
        $this->write($carrier);
        $receipt = $this->landings->commit($carrier, StreamPosition::after($carrier->position, $last->place->text()), $last->time());
        $spent = new Spent;
        $spent->landing = (hrtime(true) - $started) / 1e6;
        $this->landings->landed($carrier, $receipt, $clock, $spent);
        $this->stream->recorder->flush();
        Spool::landedTo($carrier->feed->id, $row);

        return true;
    }

    /** @param  list<SpooledChange>  $spooled */
    private function take(Carrier $carrier, SourceCommit $commit, array $spooled): void
    {
        foreach ($spooled as $change) {
            if ($change->kind === 'truncate') {
                $this->landings->truncate($carrier, $commit, $change->number, fn () => $this->write($carrier));
                $carrier->times->taken();
            } else {
                $carrier->take($carrier->fromSpool($change), $commit);
            }
        }
        $carrier->times->committed($commit->at);
        $this->held += count($spooled);
        if ($this->held >= Batch::CHANGES) {
            $this->write($carrier);
        }
    }

    private function write(Carrier $carrier): void
    {
        $this->landings->apply($carrier);
        $carrier->plan->clear();
        $this->held = 0;
    }
}
