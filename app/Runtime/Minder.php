<?php

declare(strict_types=1);

namespace App\Runtime;

use App\Pages\Lanes;
use App\Support\Tides;
use Illuminate\Support\Facades\Cache;
use Illuminate\Support\Facades\DB;

/** Looks once a minute how far behind every feed is, and drops what has been kept long enough. Of several, one acts at a time. */
final class Minder
{
    private const LOCK = 7_160_325;

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

    /** The worst of each minute is kept: a later look in the same minute can only raise it. */
    private function sample(): void
    {
        DB::insert(<<<'SQL'
            INSERT INTO behind_minutes AS b (feed_id, minute, seconds, kept)
            SELECT id, date_trunc('minute', now()), s, s <= promise_seconds
            FROM (SELECT id, promise_seconds, greatest(0, extract(epoch FROM now() - complete_up_to)) AS s FROM feeds WHERE complete_up_to IS NOT NULL) f
            ON CONFLICT (feed_id, minute) DO UPDATE SET seconds = greatest(b.seconds, excluded.seconds), kept = b.kept AND excluded.kept
            SQL);
        DB::insert(<<<'SQL'
            INSERT INTO behind_fives AS b (feed_id, at, seconds)
            SELECT feed_id, date_bin('5 minutes', minute, 'epoch'), seconds FROM behind_minutes WHERE minute = date_trunc('minute', now())
            ON CONFLICT (feed_id, at) DO UPDATE SET seconds = greatest(b.seconds, excluded.seconds)
            SQL);
        Cache::put(Lanes::KEPT, Lanes::countKept(), 120);
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
