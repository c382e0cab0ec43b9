<?php

declare(strict_types=1);

namespace App\Runtime;

use App\Pages\PromiseRecord;
use App\Runtime\Common\Receipts;
use App\Support\Tides;
use Illuminate\Support\Facades\Cache;
use Illuminate\Support\Facades\DB;

/** Looks once a minute how far behind every feed is, and drops what has been kept long enough. Of several, one acts at a time. */
final class Minder
{
    private const LOCK = 7_160_325;

    /** The minute of an hour in which old receipts are joined. */
    private const JOINS_AT = 7;

    /** The minute up to which it was counted how promises were kept. */
    private int $counted = 0;

    public function tick(): void
    {
        if (! DB::selectOne('SELECT pg_try_advisory_lock(?) AS mine', [self::LOCK])->mine) {
            return;
        }
        try {
            $this->sample();
            $this->prune();
        } finally {
            DB::selectOne('SELECT pg_advisory_unlock(?)', [self::LOCK]);
        }
    }

    /**
     * The worst of each minute is kept: a later look in the same minute can only raise it. Which minutes count is said in
     * PromiseKept; a copy that is no longer known to be complete up to any time is late, however long ago that was.
     */
    private function sample(): void
    {
        DB::insert(<<<'SQL'
            INSERT INTO behind_minutes AS b (feed_id, minute, seconds, kept, left_out)
            SELECT id, date_trunc('minute', now()), s, CASE WHEN left_out IS NULL THEN coalesce(s <= promise_seconds, false) END, left_out
            FROM (SELECT id, promise_seconds, CASE WHEN complete_up_to IS NOT NULL THEN greatest(0, extract(epoch FROM now() - complete_up_to)) END AS s,
                    CASE WHEN paused_at IS NOT NULL THEN 'paused' WHEN complete_up_to IS NULL AND coalesce((reload->>'mends')::boolean, false) = false THEN 'not landed' END AS left_out FROM feeds) f
            ON CONFLICT (feed_id, minute) DO UPDATE SET seconds = greatest(b.seconds, excluded.seconds), kept = CASE WHEN b.kept IS NULL THEN excluded.kept WHEN excluded.kept IS NULL THEN b.kept ELSE b.kept AND excluded.kept END,
                left_out = CASE WHEN b.kept IS NULL AND excluded.kept IS NULL THEN excluded.left_out END
            SQL);
        DB::insert(<<<'SQL'
            INSERT INTO behind_fives AS b (feed_id, at, seconds)
            SELECT feed_id, date_bin('5 minutes', minute, 'epoch'), seconds FROM behind_minutes WHERE minute = date_trunc('minute', now()) AND seconds IS NOT NULL
            ON CONFLICT (feed_id, at) DO UPDATE SET seconds = greatest(b.seconds, excluded.seconds)
            SQL);
        $minute = intdiv((int) now()->getTimestamp(), 60);
        if ($minute !== $this->counted) {
            $this->counted = $minute;
            $minute % 60 === self::JOINS_AT && Receipts::join();
            Cache::put(PromiseRecord::KEPT, PromiseRecord::countAll(), 120);
        }
    }

    private function prune(): void
    {
        DB::delete('DELETE FROM behind_minutes WHERE minute < now() - make_interval(days => ?)', [config('lighterman.keep.behind_minutes_days')]);
        DB::delete("DELETE FROM workers WHERE seen_at < now() - interval '1 day'");
        DB::delete("DELETE FROM behind_fives WHERE at < now() - interval '1 day'");
        DB::delete("DELETE FROM tides WHERE (step = ? AND at < now() - interval '7 hours') OR at < now() - interval '8 days'", [Tides::STEPS[0]]);
        DB::delete('DELETE FROM latency_minutes WHERE minute < now() - make_interval(days => ?)', [config('lighterman.keep.behind_minutes_days')]);
        DB::delete('DELETE FROM set_aside WHERE at < now() - make_interval(days => ?)', [config('lighterman.keep.set_aside_days')]);
        DB::delete('DELETE FROM watched_hours WHERE hour < now() - make_interval(days => ?)', [config('lighterman.keep.runs_days')]);
        DB::delete('DELETE FROM receipts WHERE landed_at < now() - make_interval(days => ?)', [config('lighterman.keep.receipts_days')]);
        DB::delete('DELETE FROM runs WHERE started_at < now() - make_interval(days => ?) AND id NOT IN (SELECT last_run_id FROM feeds WHERE last_run_id IS NOT NULL)', [config('lighterman.keep.runs_days')]);
    }
}
