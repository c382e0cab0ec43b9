<?php

declare(strict_types=1);

namespace App\Support;

use App\Models\Feed;
use Illuminate\Support\Collection;

/** What waits for a person: feeds on hold, feeds that stopped, promises that are broken. */
final class Decisions
{
    /** @return Collection<int, Feed> the gravest first */
    public static function waiting(?int $limit = null): Collection
    {
        return Feed::with('route.source', 'route.target', 'route.logs')->whereNull('paused_at')
            ->where(fn ($q) => $q->whereIn('standing', ['held', 'failed'])->orWhereRaw(Feed::LOG_FAILED)->orWhere(fn ($q) => $q->whereNotIn('standing', ['loading'])->whereRaw('now() - complete_up_to > make_interval(secs => promise_seconds)')))
            ->orderByRaw("array_position(ARRAY['failed', 'held', 'carried']::text[], standing::text)")->orderBy('complete_up_to')->limit($limit ?? 500)->get();
    }
}
