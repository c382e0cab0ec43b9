<?php

declare(strict_types=1);

namespace App\Pages;

use App\Models\Feed;
use Illuminate\Support\Collection;
use Illuminate\Support\Facades\DB;

/** What waits for a person: feeds on hold, feeds that stopped, promises that are broken. */
final class Decisions
{
    /** @return Collection<int, object{name: string, records: int, since: string, reason: string, step: string}> feeds with records set aside, most first */
    public static function aside(): Collection
    {
        return collect(DB::select("WITH groups AS (SELECT s.feed_id, s.reason, s.step, count(*) AS c, min(s.at) AS since FROM set_aside s JOIN feeds f ON f.id = s.feed_id WHERE s.state = 'waiting' AND s.overtaken_by IS NULL AND s.sequence <= f.sequence GROUP BY 1, 2, 3)
            SELECT f.name, sum(g.c)::bigint AS records, min(g.since) AS since, (array_agg(g.reason ORDER BY g.c DESC, g.reason))[1] AS reason, (array_agg(g.step ORDER BY g.c DESC, g.reason))[1] AS step
            FROM groups g JOIN feeds f ON f.id = g.feed_id GROUP BY f.name ORDER BY records DESC LIMIT 200"));
    }

    /** @return Collection<int, Feed> the gravest first */
    public static function waiting(?int $limit = null): Collection
    {
        return Feed::with('route.source', 'route.target', 'route.logs')->whereNull('paused_at')
            ->where(fn ($q) => $q->whereIn('standing', ['held', 'failed'])->orWhereRaw(Feed::LOG_FAILED)->orWhere(fn ($q) => $q->whereNotIn('standing', ['loading'])->whereRaw('now() - complete_up_to > make_interval(secs => promise_seconds)')))
            ->orderByRaw("array_position(ARRAY['failed', 'held', 'carried']::text[], standing::text)")->orderBy('complete_up_to')->limit($limit ?? 500)->get();
    }
}
