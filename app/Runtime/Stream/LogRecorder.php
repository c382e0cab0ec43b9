<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use App\Models\KeptTrouble;
use App\Models\Run;
use App\Runtime\Common\Receipts;
use App\Runtime\Work\Lease;
use App\Runtime\Work\Leases;
use App\Support\Tides;
use Carbon\CarbonImmutable;
use Closure;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Carrying\Carrier;
use Lighterman\Core\Carrying\Spent;
use Lighterman\Core\Carrying\Watched;
use Lighterman\Core\Latency\Histogram;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Trouble\Explained;

/**
 * Copies what landed into Lighterman's own database: receipts, runs, delays and tides. Kept in memory for a moment, so
 * that landing does not wait for it; after a crash the receipts are copied again from the target.
 */
final class LogRecorder
{
    /** @var list<array{int, Receipt}> */
    private array $receipts = [];

    /** @var array<int, array<int, array{Histogram, float, float, float}>> by feed and minute (unix time): delays of what has been delivered since the last flush, and milliseconds of reading, treating and landing */
    private array $delays = [];

    /** @var array<int, array<int, array<int, array{int, int}>>> by feed, step and second: committed and delivered */
    private array $tides = [];

    /** @var array<int, int> by feed: records that a check only warned of, since the last flush */
    private array $warned = [];

    /** @var array<int, Watched> by feed, of what has landed since the last flush */
    private array $watches = [];

    /** @var array<int, Run> */
    private array $runs = [];

    /** @var (Closure(int, int): void)|null told the number of the last receipt that was copied, by feed */
    public ?Closure $copied = null;

    public function __construct(private readonly Lease $lease)
    {
    }

    /** The run that what lands now belongs to: one an hour, and one for a load. */
    public function run(Carrier $carrier, string $why = 'log'): int
    {
        $kind = $carrier->position->isLoading() ? 'log load' : 'log';
        $run = $this->runs[$carrier->feed->id] ?? null;
        if ($run !== null && $run->kind === $kind && $run->started_at->diffInMinutes(now(), true) < 60) {
            return $run->id;
        }
        if ($run !== null) {
            $this->flush();
            $this->end($run, 'done');
        }
        $run = Run::create(['feed_id' => $carrier->feed->id, 'definition_id' => $carrier->feed->definition, 'kind' => $kind, 'state' => 'running', 'why' => $why, 'worker' => $this->lease->worker, 'window_from' => (string) $carrier->position, 'started_at' => now()]);
        DB::table('feeds')->where('id', $carrier->feed->id)->update(['last_run_id' => $run->id]);

        return ($this->runs[$carrier->feed->id] = $run->refresh())->id;
    }

    public function landed(Carrier $carrier, Receipt $receipt): void
    {
        $this->watches[$carrier->feed->id] = $carrier->treating->watch;
        $this->receipts[] = [$carrier->feed->id, $receipt];
    }

    public function warned(Carrier $carrier, int $records): void
    {
        $this->warned[$carrier->feed->id] = ($this->warned[$carrier->feed->id] ?? 0) + $records;
    }

    /**
     * @param  list<array{int, int}>  $commits  commit time by our clock in microseconds, and number of changes
     * @param  int  $delivered  microseconds, by our clock
     */
    public function delivered(Carrier $carrier, array $commits, int $delivered, Spent $spent): void
    {
        $second = intdiv($delivered, 1_000_000);
        $minute = $second - $second % 60;
        [$histogram, $reading, $treating, $landing] = $this->delays[$carrier->feed->id][$minute] ?? [new Histogram, 0.0, 0.0, 0.0];
        $all = 0;
        foreach ($commits as [$at, $changes]) {
            $histogram->add(max(0, $delivered - $at) / 1000, $changes);
            $all += $changes;
            $this->tide($carrier->feed->id, intdiv($at, 1_000_000), $changes, 0);
        }
        $this->tide($carrier->feed->id, $second, 0, $all);
        $this->delays[$carrier->feed->id][$minute] = [$histogram, $reading + $spent->reading, $treating + $spent->treating, $landing + $spent->landing];
    }

    private function tide(int $feedId, int $second, int $committed, int $delivered): void
    {
        foreach (Tides::STEPS as $step) {
            $at = $second - $second % $step;
            [$c, $d] = $this->tides[$feedId][$step][$at] ?? [0, 0];
            $this->tides[$feedId][$step][$at] = [$c + $committed, $d + $delivered];
        }
    }

    /**
     * @param  callable(): void|null  $also  done in the same transaction
     *
     * @throws LeaseLost when another worker has taken over, which copies everything from the target; what is held here is forgotten
     */
    public function flush(?callable $also = null): void
    {
        if ($this->receipts === [] && $also === null) {
            return;
        }
        $latest = [];
        foreach ($this->receipts as [$feedId, $receipt]) {
            $latest[$feedId] = $receipt;
        }
        try {
            DB::transaction(function () use ($also, $latest): void {
                Receipts::copy($this->receipts);
                foreach ($latest as $feedId => $receipt) {
                    $this->saveRun($feedId, $receipt);
                }
                array_map(static fn (Watched $w) => $w->flush(), $this->watches);
                $this->saveDelays();
                $this->saveTides();
                $also === null || $also();
                // Last, for who changes a feed locks it before the log of its route.
                Leases::demand($this->lease);
            }, 3);
        } catch (LeaseLost $lost) {
            $this->forget();
            throw $lost;
        }
        $copied = $this->copied;
        if ($copied !== null) {
            foreach ($latest as $feedId => $receipt) {
                $copied($feedId, $receipt->sequence);
            }
        }
        $this->forget();
    }

    private function forget(): void
    {
        $this->receipts = $this->delays = $this->tides = $this->warned = $this->watches = [];
    }

    private function saveRun(int $feedId, Receipt $latest): void
    {
        $run = $this->runs[$feedId] ?? null;
        if ($run === null) {
            return;
        }
        $spent = fn (int $which): float => array_sum(array_column($this->delays[$feedId] ?? [], $which));
        Receipts::spent($run->id, $spent(1), $spent(2), $spent(3), $this->warned[$feedId] ?? 0);
        $run->update(['window_to' => (string) $latest->to]);
    }

    private function saveDelays(): void
    {
        foreach ($this->delays as $feedId => $minutes) {
            foreach ($minutes as $at => $spent) {
                self::saveMinute($feedId, CarbonImmutable::createFromTimestamp($at), $spent);
            }
        }
    }

    /** @param  array{Histogram, float, float, float}  $new */
    private static function saveMinute(int $feedId, CarbonImmutable $minute, array $new): void
    {
        [$histogram, $reading, $treating, $landing] = $new;
        $there = DB::table('latency_minutes')->where('feed_id', $feedId)->where('minute', $minute)->first();
        if ($there !== null) {
            $histogram->merge(Histogram::fromJson($there->histogram));
            [$reading, $treating, $landing] = [$reading + $there->reading_ms, $treating + $there->treating_ms, $landing + $there->landing_ms];
        }
        DB::table('latency_minutes')->updateOrInsert(['feed_id' => $feedId, 'minute' => $minute], ['histogram' => $histogram->toJson(), 'changes' => $histogram->total(), 'reading_ms' => $reading, 'treating_ms' => $treating, 'landing_ms' => $landing]);
    }

    private function saveTides(): void
    {
        $lines = [];
        foreach ($this->tides as $feedId => $steps) {
            foreach ($steps as $step => $seconds) {
                foreach ($seconds as $at => [$committed, $delivered]) {
                    $lines[] = ['f' => $feedId, 's' => $step, 'a' => $at, 'c' => $committed, 'd' => $delivered];
                }
            }
        }
        if ($lines !== []) {
            DB::insert('INSERT INTO tides AS t (feed_id, step, at, committed, delivered) SELECT r.f, r.s, to_timestamp(r.a), r.c, r.d FROM jsonb_to_recordset(?::jsonb) r(f bigint, s int, a bigint, c bigint, d bigint)
                ON CONFLICT (feed_id, step, at) DO UPDATE SET committed = t.committed + excluded.committed, delivered = t.delivered + excluded.delivered', [json_encode($lines, JSON_THROW_ON_ERROR)]);
        }
    }

    public function say(Carrier $carrier, string $said, string $level = 'info'): void
    {
        $this->run($carrier);
        $this->runs[$carrier->feed->id]->lines()->create(['at' => now(), 'level' => $level, 'said' => $said]);
    }

    public function fail(Carrier $carrier, string $state, Explained $trouble): void
    {
        $this->say($carrier, $trouble->getMessage(), 'error');
        $this->runs[$carrier->feed->id]->update(['state' => $state, 'ended_at' => now(), 'trouble' => KeptTrouble::of($trouble)]);
        unset($this->runs[$carrier->feed->id]);
    }

    /** What was gathered of a batch that did not land. */
    public function endAll(string $state): void
    {
        foreach ($this->runs as $run) {
            $this->end($run, $state);
        }
        $this->runs = [];
    }

    private function end(Run $run, string $state): void
    {
        $run->update(['state' => $state, 'ended_at' => now()]);
    }
}
