<?php

declare(strict_types=1);

namespace App\Pages;

use App\Models\Feed;
use App\Models\Receipt;
use App\Models\SetAside;
use App\Support\Say;
use Carbon\CarbonImmutable;
use Illuminate\Database\Query\Builder;
use Illuminate\Support\Collection;
use Illuminate\Support\Facades\DB;

/** The figures of the Watch page. */
final readonly class Lanes
{
    private const PER_PAGE = 30;

    /**
     * @param  Collection<int, Feed>  $feeds  of this page, with their route
     * @param  array<int, list<array{float, float}>>  $sparks  by feed: minutes ago and worst seconds behind
     * @param  array<int, int>  $today  rows carried today, by feed
     * @param  array<int, int>  $aside  records set aside that wait, by feed
     */
    private function __construct(
        public Collection $feeds,
        public int $page,
        public int $pages,
        public array $sparks,
        public array $today,
        public array $aside,
    ) {
    }

    /** Feeds by route; those that need somebody come first within it. */
    public static function page(int $page): self
    {
        $total = Feed::count();
        $feeds = Feed::listed()
            ->join('routes', 'routes.id', '=', 'feeds.route_id')->orderBy('routes.name')
            ->orderByRaw("CASE WHEN standing IN ('failed', 'held') OR ".Feed::LOG_FAILED.' THEN 0 WHEN now() - complete_up_to > make_interval(secs => promise_seconds) THEN 1 ELSE 2 END')->orderBy('feeds.name')
            ->forPage($page, self::PER_PAGE)->get('feeds.*');
        $ids = array_values($feeds->modelKeys());
        $sparks = [];
        foreach (DB::table('behind_fives')->whereIn('feed_id', $ids)->where('at', '>', now()->subHours(6))->orderBy('at')
            ->get(['feed_id', DB::raw('extract(epoch FROM now() - at)::real / 60 AS ago'), 'seconds']) as $row) {
            $sparks[$row->feed_id][] = [(float) $row->ago, (float) $row->seconds];
        }

        return new self($feeds, $page, max(1, (int) ceil($total / self::PER_PAGE)), $sparks, self::today($ids), SetAside::waitingOf($ids));
    }

    /**
     * @param  list<int>  $ids
     * @return array<int, int>
     */
    private static function today(array $ids): array
    {
        return self::hours()->whereIn('feed_id', $ids)->where('hour', '>=', self::midnight())
            ->groupBy('feed_id')->get(['feed_id', DB::raw('sum(rows) AS rows')])->mapWithKeys(static fn (object $r): array => [$r->feed_id => (int) $r->rows])->all();
    }

    /** @return array<int, int> rows carried in each hour of the viewer's day so far, by hour of day */
    public static function byHour(): array
    {
        $hours = array_fill(0, (int) now(Say::zone())->format('G') + 1, 0);
        foreach (self::hours()->where('hour', '>=', self::midnight())->groupBy('hour')->get(['hour', DB::raw('sum(rows) AS rows')]) as $row) {
            $hours[(int) CarbonImmutable::parse($row->hour)->setTimezone(Say::zone())->format('G')] = (int) $row->rows;
        }

        return $hours;
    }

    /** @return Collection<int, Receipt> the latest receipts */
    public static function justNow(): Collection
    {
        return Receipt::query()->join('feeds', 'feeds.id', '=', 'receipts.feed_id')->latest('landed_at')->limit(5)->get(['receipts.*', 'feeds.name AS feed_name']);
    }

    /** What was carried, by the hours of the viewer's day, which need not begin with those of the world's clock. */
    private static function hours(): Builder
    {
        if (self::midnight()->minute === 0) {
            return DB::table('carried_hours');
        }

        return DB::query()->fromSub(DB::table('receipts AS r')->join('feeds AS f', 'f.id', '=', 'r.feed_id')->where('r.landed_at', '>=', self::midnight())
            ->selectRaw("r.feed_id, date_trunc('hour', r.landed_at AT TIME ZONE ?) AT TIME ZONE ? AS hour, ".Receipt::carried().' AS rows', [Say::zone(), Say::zone()]), 'carried');
    }

    private static function midnight(): CarbonImmutable
    {
        return CarbonImmutable::today(Say::zone())->utc();
    }
}
