<?php

declare(strict_types=1);

namespace App\Pages;

use App\Models\AuditEntry;
use App\Models\Feed;
use App\Models\Run;
use App\Support\Say;
use App\Support\Tides;
use Carbon\CarbonImmutable;
use Illuminate\Support\Facades\DB;

/**
 * Changes committed at the source and delivered to the target, both added up over time, in units of 892 by 300. The gap
 * upward is what waits, the gap sideways how long it took.
 */
final readonly class TideChart
{
    private const LEFT = 64;

    private const RIGHT = 878;

    private const TOP = 26;

    private const BOTTOM = 256;

    public const SPANS = ['15m' => ['15 min', 900, 5], '1h' => ['1 h', 3600, 15], '6h' => ['6 h', 21600, 60], '24h' => ['24 h', 86400, 300], '7d' => ['7 d', 604800, 1800]];

    /**
     * @param  list<array{float, float, float}>  $points  unix time, committed and delivered since the chart began
     * @param  list<array{at: float, word: string}>  $events
     * @param  int  $bin  seconds that one step of the lines stands for; shorter delays cannot be read off
     */
    private function __construct(public float $since, public float $until, public array $points, public array $events, private int $bin)
    {
    }

    public static function span(mixed $asked): string
    {
        return is_string($asked) && isset(self::SPANS[$asked]) ? $asked : '1h';
    }

    /** @param  list<int>  $feedIds  added up where there are several */
    public static function of(array $feedIds, string $span): self
    {
        [, $seconds, $bin] = self::SPANS[$span];
        $step = $bin < 60 ? Tides::STEPS[0] : Tides::STEPS[1];
        $until = (float) now()->format('U.u');
        $since = $until - $seconds;
        $since -= fmod($since, $bin);
        $ids = '{'.implode(',', $feedIds).'}';
        $waiting = (int) DB::selectOne('SELECT coalesce(sum(committed - delivered), 0) AS n FROM tides WHERE feed_id = ANY (?::bigint[]) AND step = ? AND at < to_timestamp(?)', [$ids, $step, $since])->n;
        $rows = DB::select("SELECT extract(epoch FROM date_bin(make_interval(secs => {$bin}), at, 'epoch')) AS t, sum(committed) AS c, sum(delivered) AS d
            FROM tides WHERE feed_id = ANY (?::bigint[]) AND step = ? AND at >= to_timestamp(?) GROUP BY 1 ORDER BY 1", [$ids, $step, $since]);
        $committed = (float) max(0, $waiting);
        $delivered = 0.0;
        $points = [[$since, $committed, $delivered]];
        foreach ($rows as $row) {
            // Where a quiet time has gone by, the line stays level until the step begins.
            $points[] = [(float) $row->t, $committed, $delivered];
            $committed += (float) $row->c;
            $delivered += (float) $row->d;
            $points[] = [min($until, (float) $row->t + $bin), $committed, $delivered];
        }
        $points[] = [$until, $committed, $delivered];

        return new self($since, $until, $points, self::events($feedIds, $since), $bin);
    }

    /**
     * @param  list<int>  $feedIds
     * @return list<array{at: float, word: string}> what happened, in order
     */
    private static function events(array $feedIds, float $since): array
    {
        $from = CarbonImmutable::createFromTimestamp($since);
        $events = [];
        foreach (Run::whereIn('feed_id', $feedIds)->where('started_at', '>=', $from)->where(fn ($q) => $q->whereIn('state', ['failed', 'held', 'lost'])->orWhere('kind', 'log load'))->orderBy('id')->limit(60)->get() as $run) {
            $events[] = ['at' => (float) $run->started_at->format('U.u'), 'word' => $run->kind === 'log load' && $run->state === 'done' ? 'load' : $run->state];
        }
        foreach (AuditEntry::where('subject_kind', 'feed')->whereIn('subject', Feed::whereIn('id', $feedIds)->select('name'))->whereIn('action', ['paused', 'resumed', 'changed'])->where('at', '>=', $from)->orderBy('id')->limit(40)->get() as $entry) {
            $events[] = ['at' => (float) $entry->at->format('U.u'), 'word' => $entry->action];
        }
        usort($events, static fn (array $a, array $b): int => $a['at'] <=> $b['at']);

        return $events;
    }

    public function isEmpty(): bool
    {
        return $this->committed() <= 0;
    }

    public function committed(): float
    {
        return $this->points[count($this->points) - 1][1];
    }

    public function delivered(): float
    {
        return $this->points[count($this->points) - 1][2];
    }

    public function waiting(): int
    {
        return (int) max(0, $this->committed() - $this->delivered());
    }

    public function x(float $time): float
    {
        return self::LEFT + ($time - $this->since) / ($this->until - $this->since) * (self::RIGHT - self::LEFT);
    }

    public function y(float $count): float
    {
        $ticks = $this->ticks();

        return self::BOTTOM - $count / end($ticks) * (self::BOTTOM - self::TOP);
    }

    /** @return list<float> */
    public function ticks(): array
    {
        return Charts::ticks(max(4.0, $this->committed()));
    }

    /** @param  1|2  $which  committed or delivered */
    public function line(int $which): string
    {
        return Charts::path(array_map(fn (array $p): array => [$this->x($p[0]), $this->y($p[$which])], $this->points));
    }

    /** What waits: the area between the two lines. */
    public function gap(): string
    {
        $back = array_map(fn (array $p): array => [$this->x($p[0]), $this->y($p[2])], array_reverse($this->points));

        return $this->line(1).str_replace('M', 'L', Charts::path($back)).'Z';
    }

    public function under(): string
    {
        return $this->line(2).'L'.self::RIGHT.' '.self::BOTTOM.'L'.self::LEFT.' '.self::BOTTOM.'Z';
    }

    /** @return list<array{x: float, label: string}> */
    public function times(): array
    {
        return Charts::times($this->since, $this->until, $this->x(...));
    }

    /** What hovering needs, as JSON. */
    public function json(): string
    {
        $ticks = $this->ticks();

        return json_encode(['points' => $this->points, 'since' => $this->since, 'until' => $this->until, 'most' => end($ticks), 'left' => self::LEFT, 'right' => self::RIGHT, 'top' => self::TOP, 'bottom' => self::BOTTOM, 'bin' => $this->bin, 'zone' => Say::zone()], JSON_THROW_ON_ERROR);
    }
}
