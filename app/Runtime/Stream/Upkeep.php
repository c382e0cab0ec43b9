<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use App\Support\HouseTime;
use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Carrying\ReadUpTo;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\LogReader;
use Lighterman\Core\Trouble\StreamTrouble;

/** What has to be seen to again and again while a route's changes are read. */
final class Upkeep
{
    private const PRUNE_SECONDS = 3600;

    private const MEASURE_SECONDS = 5;

    private float $measuredAt = 0.0;

    private float $gapsAt = 0.0;

    private float $prunedAt = 0.0;

    public function __construct(
        private readonly RouteStream $stream,
        private readonly Recording $recording,
        private readonly Refusals $refusals,
        private readonly Delivery $delivery,
        private readonly ReadUpTo $read,
        private readonly Marks $marks,
        private readonly Spool $spool,
        private readonly LogReader $reader,
    ) {
    }

    /** Copies what landed, then lets the source forget it. */
    public function save(): void
    {
        $to = $this->read->closed();
        $at = $this->read->completeAt($this->delivery->isIdle() && $this->marks->beat->hasCome(), SteadyClock::micros() + $this->delivery->clock->ahead);
        $complete = $at === null ? null : SourceCommit::timeAt($this->delivery->clock->ours($at));
        $this->spool->flush();
        $this->stream->recorder->flush(function () use ($to, $complete): void {
            $this->completeUpTo($complete);
            DB::update('UPDATE route_logs SET read_to = coalesce(?, read_to), complete_up_to = greatest(least(complete_up_to, now()), ?::timestamptz), updated_at = now() WHERE id = ?', [$to?->text(), $complete, $this->stream->log->id]);
        });
        $confirmed = $this->read->confirm($this->reader->silence());
        $confirmed === null || $this->reader->confirm($confirmed);
    }

    private function completeUpTo(?string $time): void
    {
        $log = $this->stream->log;
        $apart = $this->stream->roster->spooling();
        if ($time !== null) {
            DB::table('feeds')->where('route_id', $log->route_id)->where('capture', $log->capture)->where('standing', 'carried')->whereNull('paused_at')->whereNull('rereads')->whereNotIn('id', $apart)->update(['complete_up_to' => $time, 'waiting' => 0]);
        }
        foreach ($apart as $id) {
            DB::update('UPDATE feeds SET waiting = (SELECT coalesce(sum(changes), 0) FROM spool WHERE feed_id = feeds.id) WHERE id = ?', [$id]);
        }
    }

    /** Whether a mark that was written when everything else was done has come back. */
    public function everythingCame(): bool
    {
        $this->marks->beat->isWritten() || $this->marks->beat();
        if (! $this->marks->beat->hasCome()) {
            return false;
        }
        $this->save();

        return true;
    }

    /** Looks what the source keeps for this route, and whether anybody has meddled with either side. */
    public function measure(?LandingSession $target): void
    {
        $gaps = (int) config('lighterman.gap_seconds');
        $now = SteadyClock::seconds();
        if ($now - $this->measuredAt < min(self::MEASURE_SECONDS, $gaps)) {
            return;
        }
        $this->measuredAt = $now;
        if ($now - $this->prunedAt > self::PRUNE_SECONDS) {
            $this->prunedAt = $now;
            $this->refusals->atTarget(static fn () => $target?->tidyReceipts((int) config('lighterman.keep.single_receipts_hours'), (int) config('lighterman.keep.receipts_days')));
        }
        HouseTime::takeFrom(DB::connection());
        $this->delivery->clock = $this->stream->changes->clock();
        $state = $this->stream->changes->required($this->read->closed());
        if ($now - $this->gapsAt >= $gaps) {
            $this->gapsAt = $now;
            $this->refusals->atTarget(fn () => $target?->demandKept($this->stream->roster->landing()));
            $this->recording->lookForGaps($this->stream->roster->all());
        }
        $log = $this->stream->log;
        $log->update(['retained_bytes' => $state->retained, 'waiting_bytes' => $state->waiting, 'clock_ahead_us' => $this->delivery->clock->ahead, 'clock_uncertain_us' => $this->delivery->clock->uncertain]);
        if ($log->drop_bytes !== null && $state->retained > $log->drop_bytes) {
            $this->reader->close();
            $this->stream->changes->remove();
            throw StreamTrouble::logLimit($this->stream->sourceName(), $state->retained, $log->drop_bytes);
        }
    }
}
