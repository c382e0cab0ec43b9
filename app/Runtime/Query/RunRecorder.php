<?php

declare(strict_types=1);

namespace App\Runtime\Query;

use App\Models\Feed;
use App\Models\KeptTrouble;
use App\Models\Run;
use App\Runtime\Common\Receipts;
use App\Runtime\Work\Lease;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\ReadPlan;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Trouble\Explained;

/** Writes down what a run does, in Lighterman's own database. */
final class RunRecorder
{
    public readonly Run $run;

    private function __construct(private readonly Feed $feed, Run $run)
    {
        $this->run = $run;
    }

    public static function begin(Feed $feed, Lease $lease, ReadPlan $plan, float $readingMs): self
    {
        $run = Run::create([
            'feed_id' => $feed->id, 'definition_id' => $feed->definition_id, 'kind' => $plan->kind, 'state' => 'running', 'why' => $feed->why ?? 'schedule',
            'worker' => $lease->worker, 'window_from' => (string) $plan->from, 'window_to' => self::upTo($plan), 'reading_ms' => $readingMs, 'started_at' => now(),
        ]);
        $feed->update(['last_run_id' => $run->id]);

        return new self($feed, $run->refresh());
    }

    /** Records a run that found nothing; several in a row share one line. */
    public static function empty(Feed $feed, Lease $lease, ReadPlan $plan, float $ms): void
    {
        $folded = $feed->last_run_id === null ? 0 : DB::update("UPDATE runs SET empty_runs = empty_runs + 1, ended_at = ?, window_to = ?, reading_ms = reading_ms + ? WHERE id = ? AND state = 'done' AND empty_runs > 0 AND definition_id = ? AND why = ?",
            [now(), self::upTo($plan), $ms, $feed->last_run_id, $feed->definition_id, $feed->why ?? 'schedule']);
        if ($folded > 0) {
            return;
        }
        $recorder = self::begin($feed, $lease, $plan, $ms);
        $recorder->run->update(['state' => 'done', 'empty_runs' => 1, 'ended_at' => now()]);
    }

    /** Copies a receipt and moves the feed's own copy of its position along with it. */
    public function landed(Receipt $receipt, float $readingMs, float $treatingMs, float $landingMs, int $warned): void
    {
        DB::transaction(function () use ($receipt, $readingMs, $treatingMs, $landingMs, $warned): void {
            Receipts::copy([[$this->feed->id, $receipt]]);
            $this->feed->standsAt($receipt);
            Receipts::spent($this->run->id, $readingMs, $treatingMs, $landingMs, $warned);
        });
    }

    public function say(string $said, string $level = 'info'): void
    {
        $this->run->lines()->create(['at' => now(), 'level' => $level, 'said' => $said]);
    }

    /** @param  'done'|'cancelled'|'paused'|'lost'  $state */
    public function end(string $state): void
    {
        $this->run->update(['state' => $state, 'ended_at' => now()]);
    }

    /** @param  'failed'|'held'  $state */
    public function fail(string $state, Explained $trouble): void
    {
        $this->say($trouble->getMessage(), 'error');
        $this->run->update(['state' => $state, 'ended_at' => now(), 'trouble' => KeptTrouble::of($trouble)]);
    }

    private static function upTo(ReadPlan $plan): string
    {
        return in_array($plan->kind, ['load', 'increment'], true) && $plan->window === null ? 'no safe bound yet' : (string) $plan->end();
    }
}
