<?php

declare(strict_types=1);

namespace App\Pages;

use App\Support\Say;
use Carbon\CarbonImmutable;

/** Turns figures into the paths of SVG charts. Coordinates are in the chart's own units, rounded to a tenth. */
final class Charts
{
    /**
     * A line of points; a gap of more than `gap` on the x axis lifts the pen.
     *
     * @param  list<array{float, float}>  $points  x and y
     */
    public static function path(array $points, float $gap = INF): string
    {
        $path = '';
        $before = null;
        foreach ($points as [$x, $y]) {
            $path .= ($before === null || $x - $before > $gap ? 'M' : 'L').round($x, 1).' '.round($y, 1);
            $before = $x;
        }

        return $path;
    }

    /**
     * Time behind over the last hours, for a lane: 150 by 24 units, six hours, the promise at half the height.
     *
     * @param  list<array{float, float}>  $points  minutes ago and seconds behind
     */
    public static function spark(array $points, float $promise): string
    {
        return self::path(array_map(static fn (array $p): array => [
            150 - $p[0] / 360 * 150,
            22 - min(20, $p[1] / max($promise, 0.001) * 10),
        ], $points), 6);
    }

    /** @return list<float> round values from 0 to at least the greatest, four to six of them */
    public static function ticks(float $greatest): array
    {
        $rough = max($greatest, 1e-9) / 4;
        $power = 10 ** floor(log10($rough));
        $step = $power * match (true) {
            $rough / $power <= 1 => 1, $rough / $power <= 2 => 2, $rough / $power <= 5 => 5, default => 10,
        };

        return array_map(static fn (int $i): float => $i * $step, range(0, max(1, (int) ceil($greatest / $step))));
    }

    /** @return list<float> ticks for seconds, falling on whole minutes and hours */
    public static function timeTicks(float $greatest): array
    {
        foreach ([1, 2, 5, 10, 15, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200, 14400, 21600, 43200, 86400, 172800] as $step) {
            if ($greatest / $step <= 5) {
                return array_map(static fn (int $i): float => (float) $i * $step, range(0, max(1, (int) ceil($greatest / $step))));
            }
        }

        return self::ticks($greatest);
    }

    /**
     * Seven times along an axis, in the viewer's zone.
     *
     * @param  callable(float): float  $x  place of a unix time
     * @param  string  $short  format for spans of up to a day; longer ones name the day
     * @return list<array{x: float, label: string}>
     */
    public static function times(float $since, float $until, callable $x, string $short = 'H:i'): array
    {
        return array_map(static function (int $i) use ($since, $until, $x, $short): array {
            $time = $since + $i / 6 * ($until - $since);

            return ['x' => round($x($time), 1), 'label' => CarbonImmutable::createFromTimestamp($time, Say::zone())->format($until - $since > 90_000 ? 'j M H:i' : $short)];
        }, range(0, 6));
    }
}
