<?php

declare(strict_types=1);

namespace App\Pages;

use App\Models\AuditEntry;
use App\Models\Feed;
use App\Models\RouteLog;
use App\Models\Run;
use App\Support\Say;
use App\Support\Tides;
use Carbon\CarbonImmutable;
use Illuminate\Support\Facades\DB;

/**
 * Changes committed at the source and delivered to the target, both added up over time, in units of 892 by 300. The gap
 * upward is what waits, the gap sideways how long it took. What has been committed is known as far as the source has been read.
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
     * @param  float  $known  unix time up to which it is known what was committed
     * @param  list<array{at: float, word: string}>  $events
     * @param  int  $bin  seconds that one step of the lines stands for; shorter delays cannot be read off
     */
    private function __construct(public float $since, public float $until, public array $points, private float $known, public array $events, private int $bin)
    {
    }

    public static function span(mixed $asked): string
    {
        return is_string($asked) && isset(self::SPANS[$asked]) ? $asked : '1h';
    }

    /**
     * @param  list<int>  $feedIds  added up where there are several
     * @param  RouteLog|null  $log  by which they are read; null where nothing has been
     */
    public static function of(array $feedIds, string $span, ?RouteLog $log): self
    {
        [, $seconds, $bin] = self::SPANS[$span];
        $step = $bin < 60 ? Tides::STEPS[0] : Tides::STEPS[1];
        $until = (float) now()->format('U.u');
        $since = $until - $seconds;
        $since -= fmod($since, $bin);
        $ids = '{'.implode(',', $feedIds).'}';
        // What was committed stands in the spool until it is delivered, and in the tides from then on.
        $rows = DB::select("SELECT extract(epoch FROM date_bin(make_interval(secs => {$bin}), at, 'epoch')) AS t, sum(c) AS c, sum(d) AS d, sum(s) AS s
            FROM (SELECT at, committed AS c, delivered AS d, 0 AS s FROM tides WHERE feed_id = ANY (?::bigint[]) AND step = ? AND at >= to_timestamp(?)
                UNION ALL SELECT to_timestamp((committed_at - ?) / 1e6), 0, 0, changes FROM spool WHERE feed_id = ANY (?::bigint[])) x GROUP BY 1 ORDER BY 1", [$ids, $step, $since, $log->clock_ahead_us ?? 0, $ids]);
        $rows = array_map(static fn (\stdClass $r): array => [(float) $r->t, (float) $r->c, (float) $r->d, (float) $r->s], $rows);
        // What was delivered since, and not committed since, waited when the chart begins; so did what is in the spool from before.
        $waited = array_sum(array_map(static fn (array $r): float => $r[2] - $r[1] + ($r[0] < $since ? $r[3] : 0.0), $rows));
        $committed = (float) max(0, $waited);
        $delivered = 0.0;
        $points = [[$since, $committed, $delivered]];
        foreach (array_filter($rows, static fn (array $r): bool => $r[0] >= $since) as [$at, $made, $came, $spooled]) {
            // Where a quiet time has gone by, the line stays level until the step begins.
            $points[] = [$at, $committed, $delivered];
            $committed += $made + $spooled;
            $delivered += $came;
            $points[] = [min($until, $at + $bin), $committed, $delivered];
        }
        $points[] = [$until, $committed, $delivered];

        return new self($since, $until, $points, (float) ($log?->complete_up_to?->format('U.u') ?? $until), self::events($feedIds, $since), $bin);
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

    /** Where what was committed is known no further, on the way across; null where it is known up to a step of the lines. */
    public function unknownFrom(): ?float
    {
        return $this->until - $this->known < max(10, $this->bin) ? null : $this->x(max($this->since, $this->known));
    }

    public function committedLine(): string
    {
        return $this->path(1, $this->knownPoints());
    }

    public function landedLine(): string
    {
        return $this->path(2, $this->points);
    }

    /** @return list<array{float, float, float}> as far as it is known what was committed */
    private function knownPoints(): array
    {
        if ($this->unknownFrom() === null) {
            return $this->points;
        }
        $points = array_values(array_filter($this->points, fn (array $p): bool => $p[0] <= $this->known));
        $last = end($points);

        return $last === false ? [] : [...$points, [max($last[0], $this->known), $last[1], $last[2]]];
    }

    /**
     * @param  1|2  $which  committed or delivered
     * @param  list<array{float, float, float}>  $points
     */
    private function path(int $which, array $points): string
    {
        return Charts::path(array_map(fn (array $p): array => [$this->x($p[0]), $this->y($p[$which])], $points));
    }

    /** What waits: the area between the two lines. */
    public function gap(): string
    {
        $known = $this->knownPoints();

        return $known === [] ? '' : $this->path(1, $known).str_replace('M', 'L', $this->path(2, array_reverse($known))).'Z';
    }

    public function under(): string
    {
        return $this->landedLine().'L'.self::RIGHT.' '.self::BOTTOM.'L'.self::LEFT.' '.self::BOTTOM.'Z';
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
