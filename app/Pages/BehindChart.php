<?php

declare(strict_types=1);

namespace App\Pages;

use App\Models\Feed;
use Carbon\CarbonImmutable;
use Illuminate\Support\Facades\DB;

/** Time behind against the promise over some hours, with failures marked, in units of 892 by 260. */
final readonly class BehindChart
{
    private const LEFT = 64;

    private const RIGHT = 878;

    private const TOP = 14;

    private const BOTTOM = 226;

    /**
     * @param  list<array{float, float}>  $points  unix time and seconds
     * @param  list<array{x: float, word: string}>  $events
     */
    private function __construct(
        private float $since,
        private float $until,
        private float $greatest,
        public float $promise,
        private array $points,
        public array $events,
        private float $gap,
    ) {
    }

    public static function of(Feed $feed, int $hours): self
    {
        $until = (float) now()->format('U.u');
        $since = $until - $hours * 3600;
        $step = max(1, intdiv($hours * 60, 360));
        $minutes = DB::table('behind_minutes')->where('feed_id', $feed->id)->where('minute', '>=', now()->subHours($hours))
            ->selectRaw("date_bin(make_interval(mins => {$step}), minute, 'epoch') AS at, max(seconds) AS seconds")->groupBy('at')->orderBy('at')->get();
        $points = $minutes->map(static fn (object $m): array => [(float) CarbonImmutable::parse($m->at)->getTimestamp(), (float) $m->seconds])->all();
        if ($feed->behind() !== null) {
            $points[] = [$until, $feed->behind()];
        }
        $events = $feed->runs()->where('started_at', '>=', now()->subHours($hours))->whereIn('state', ['failed', 'held', 'lost'])->orderBy('id')->limit(40)->get(['state', 'started_at'])
            ->map(static fn ($r): array => ['x' => (float) $r->started_at->format('U'), 'word' => $r->state])->all();
        $greatest = max([$feed->promise_seconds * 1.25, ...array_column($points, 1)]);

        return new self($since, $until, $greatest, (float) $feed->promise_seconds, array_values($points), array_values($events), $step * 150);
    }

    public function isEmpty(): bool
    {
        return $this->points === [];
    }

    public function x(float $time): float
    {
        return self::LEFT + (max($time, $this->since) - $this->since) / ($this->until - $this->since) * (self::RIGHT - self::LEFT);
    }

    public function y(float $seconds): float
    {
        $ticks = $this->ticks();

        return self::BOTTOM - $seconds / end($ticks) * (self::BOTTOM - self::TOP);
    }

    public function line(): string
    {
        return Charts::path(array_map(fn (array $p): array => [$this->x($p[0]), $this->y($p[1])], $this->points), $this->gap / ($this->until - $this->since) * (self::RIGHT - self::LEFT));
    }

    /** @return list<float> seconds */
    public function ticks(): array
    {
        return Charts::timeTicks($this->greatest);
    }

    /** @return list<array{x: float, label: string}> */
    public function times(): array
    {
        return Charts::times($this->since, $this->until, $this->x(...));
    }

    public function worst(): ?float
    {
        return $this->points === [] ? null : max(array_column($this->points, 1));
    }
}
