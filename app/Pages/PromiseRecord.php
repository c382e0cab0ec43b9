<?php

declare(strict_types=1);

namespace App\Pages;

use Illuminate\Support\Facades\Cache;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Latency\PromiseKept;

/** How well promises have been kept, counted in minutes. */
final readonly class PromiseRecord
{
    public const KEPT = 'promises kept';

    private function __construct(public PromiseKept $day, public PromiseKept $week)
    {
    }

    public static function of(int $feedId): self
    {
        return new self(self::count('1 day', $feedId), self::count('7 days', $feedId));
    }

    /** All feeds over the last day. */
    public static function all(): PromiseKept
    {
        // Every minute of every feed is looked at, so it is counted as often as minutes come and not as often as pages are.
        return Cache::remember(self::KEPT, 120, self::countAll(...));
    }

    public static function countAll(): PromiseKept
    {
        return self::count('1 day', null);
    }

    /** Of whole minutes, and not the one that has just begun. */
    private static function count(string $span, ?int $feedId): PromiseKept
    {
        $row = DB::selectOne("SELECT coalesce(sum(ceil(extract(epoch FROM span.until - greatest(date_trunc('minute', f.created_at), span.since)) / 60)), 0) AS all,
                coalesce(sum(m.minutes), 0) AS minutes, coalesce(sum(m.kept), 0) AS kept, coalesce(sum(m.paused), 0) AS paused, coalesce(sum(m.before), 0) AS before
            FROM (SELECT date_trunc('minute', now()) AS until, date_trunc('minute', now()) - ?::interval AS since) span CROSS JOIN feeds f
            LEFT JOIN LATERAL (SELECT count(kept) AS minutes, count(*) FILTER (WHERE kept) AS kept, count(*) FILTER (WHERE left_out = 'paused') AS paused, count(*) FILTER (WHERE left_out = 'not landed') AS before
                FROM behind_minutes WHERE feed_id = f.id AND minute >= greatest(date_trunc('minute', f.created_at), span.since) AND minute < span.until) m ON true
            WHERE ".($feedId === null ? 'true' : 'f.id = ?'), $feedId === null ? [$span] : [$span, $feedId]);

        return PromiseKept::counted((int) $row->all, (int) $row->minutes, (int) $row->kept, (int) $row->paused, (int) $row->before);
    }
}
