<?php

declare(strict_types=1);

namespace App\Pages;

use App\Models\Feed;
use App\Models\SetAside;
use App\Runtime\Work\Keeper;
use App\Support\Say;
use Carbon\CarbonImmutable;
use Illuminate\Support\Collection;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Carrying\FeedState;
use Lighterman\Core\Carrying\Standing;
use Lighterman\Core\Latency\Behind;

/** What stands on every page: the ruler and the number of decisions waiting. */
final class Frame
{
    /** Above this many, feeds of a kind are drawn as a density strip: first those on time, then the unnamed others. */
    private const SINGLE_MARKS = 120;

    private const TICKS = ['now' => 0, '1 s' => 1, '10 s' => 10, '1 min' => 60, '10 min' => 600, '1 h' => 3600, '6 h' => 21600, '1 day' => 86400, '1 week' => 604800];

    /** @var Collection<int, array{name: string, state: string, behind: float|null}>|null */
    private ?Collection $feeds = null;

    /** @return list<array{label: string, place: float}> place in per cent */
    public function ticks(): array
    {
        return array_map(static fn (string $l, int $s): array => ['label' => $l, 'place' => 100 * Behind::place((float) $s)], array_keys(self::TICKS), self::TICKS);
    }

    /** @return Collection<int, array{name: string, state: string, behind: float|null}> */
    public function feeds(): Collection
    {
        return $this->feeds ??= DB::table('feeds')->get(['name', 'standing', 'paused_at', 'promise_seconds', DB::raw('extract(epoch FROM now() - complete_up_to) AS behind'), DB::raw(Feed::LOG_FAILED.' AS log_failed')])
            ->map(static function (object $f): array {
                $behind = $f->behind === null ? null : max(0.0, (float) $f->behind);

                return ['name' => (string) $f->name, 'behind' => $behind, 'state' => FeedState::of(Standing::from($f->standing), $f->paused_at !== null, $f->log_failed, $behind, $f->promise_seconds)->value];
            });
    }

    /**
     * Marks on the ruler, dodged upwards where they crowd; the late, failed and held ones carry their names while there is room.
     *
     * @return array{marks: list<array<string, mixed>>, piles: list<array{place: float, height: float, count: int, state: string}>, unplaced: array<string, int>}
     */
    public function ruler(): array
    {
        $placed = $this->feeds()->filter(static fn (array $f): bool => $f['behind'] !== null)->sortBy('behind');
        $quiet = $placed->filter(static fn (array $f): bool => $f['state'] === 'on time');
        $loud = $placed->reject(static fn (array $f): bool => $f['state'] === 'on time');
        $marks = $piles = [];
        if ($quiet->count() > self::SINGLE_MARKS) {
            $piles = self::piles($quiet, 'on time');
        } else {
            $used = [];
            foreach ($quiet as $feed) {
                $bucket = (int) round(Behind::place((float) $feed['behind']) * 125);
                $level = $used[$bucket] = ($used[$bucket] ?? -1) + 1;
                $marks[] = $feed + ['place' => $bucket / 1.25, 'bottom' => 23 + 9 * ($level % 3), 'named' => false];
            }
        }
        $free = -1.0;
        $crowded = $loud->count() > self::SINGLE_MARKS;
        if ($crowded) {
            array_push($piles, ...self::piles($loud->where('state', 'late'), 'late'));
        }
        $loud = $loud->values();
        foreach ($loud as $i => $feed) {
            $place = 100 * Behind::place((float) $feed['behind']);
            $label = Say::name($feed['name'], 18);
            $width = 3 + 0.62 * mb_strlen($label);
            $left = $place + $width > 100;
            // A name is written only where no other mark would stand in it.
            $next = isset($loud[$i + 1]) ? 100 * Behind::place((float) $loud[$i + 1]['behind']) - 1.2 : 100.0;
            $named = $left ? $place - $width > $free : $place > $free && $place + $width <= $next;
            if (! $named && $crowded) {
                continue;
            }
            $marks[] = $feed + ['place' => $place, 'bottom' => 32, 'named' => $named, 'left' => $left, 'label' => $label];
            $free = $named && ! $left ? $place + $width : $place + 1;
        }

        return ['marks' => $marks, 'piles' => $piles, 'unplaced' => $this->feeds()->whereNull('behind')->countBy('state')->all()];
    }

    /**
     * @param  Collection<int, array{name: string, state: string, behind: float|null}>  $feeds
     * @return list<array{place: float, height: float, count: int, state: string}>
     */
    private static function piles(Collection $feeds, string $state): array
    {
        $counts = $feeds->countBy(static fn (array $f): int => (int) floor(Behind::place((float) $f['behind']) * 125))->all();

        return array_map(static fn (int $bucket, int $count): array => ['place' => $bucket / 1.25, 'height' => 4 + 22 * $count / max(1, ...$counts), 'count' => $count, 'state' => $state], array_keys($counts), $counts);
    }

    /** @return string|null that no worker is at work, as a sentence; null where one is, or there is nothing to do */
    public function withoutWorkers(): ?string
    {
        $seen = DB::selectOne('SELECT max(seen_at) AS at, coalesce(max(seen_at) > clock_timestamp() - make_interval(secs => ?), false) AS works, EXISTS (SELECT 1 FROM feeds WHERE paused_at IS NULL) AS wanted FROM workers', [3 * Keeper::SEEN_SECONDS]);

        return $seen->works || ! $seen->wanted ? null : ($seen->at === null ? 'No worker is running.' : 'No worker has been seen since '.Say::at(CarbonImmutable::parse($seen->at)).'.');
    }

    public function decisions(): int
    {
        return $this->feeds()->whereIn('state', ['held', 'failed', 'late'])->count() + SetAside::feedsWaiting();
    }

    /** @return array<string, int> feeds by state */
    public function byState(): array
    {
        return $this->feeds()->countBy('state')->all();
    }
}
