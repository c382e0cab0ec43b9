<?php

declare(strict_types=1);

namespace App\Pages;

use App\Support\Say;
use Carbon\CarbonImmutable;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Latency\Histogram;

/** How long changes took from their commit to their delivery, out of the histograms of minutes. */
final readonly class Delays
{
    /** Upper bounds of the classes that are drawn, in milliseconds. */
    public const CLASSES = [30.0, 100.0, 300.0, 1_000.0, 3_000.0, 10_000.0, 60_000.0, 600_000.0];

    /** @param  array{reading: float, treating: float, landing: float}  $spent  milliseconds */
    private function __construct(public Histogram $histogram, public array $spent, private float $seconds)
    {
    }

    /** @param  list<int>  $feedIds */
    public static function last(array $feedIds, int $minutes): self
    {
        // Times are kept by minutes, so what a rate is divided by begins with one.
        return self::over($feedIds, now()->subMinutes($minutes)->startOfMinute()->toImmutable(), now()->toImmutable());
    }

    /** @param  list<int>  $feedIds */
    private static function over(array $feedIds, CarbonImmutable $from, CarbonImmutable $to): self
    {
        $histogram = new Histogram;
        $spent = ['reading' => 0.0, 'treating' => 0.0, 'landing' => 0.0];
        // To the microsecond: a minute that has just begun is among those before now.
        [$first, $end] = array_map(static fn (CarbonImmutable $at): string => $at->format('Y-m-d H:i:s.uP'), [$from, $to]);
        foreach (DB::table('latency_minutes')->whereIn('feed_id', $feedIds)->where('minute', '>=', $first)->where('minute', '<', $end)->cursor() as $minute) {
            $histogram->merge(Histogram::fromJson($minute->histogram));
            foreach ($spent as $what => $ms) {
                $spent[$what] = $ms + $minute->{"{$what}_ms"};
            }
        }

        return new self($histogram, $spent, max(1.0, $from->diffInSeconds($to, true)));
    }

    /**
     * @param  list<int>  $feedIds
     * @return array<int, self> the last 24 hours by their beginning, unix time
     */
    public static function byHour(array $feedIds): array
    {
        $hours = [];
        $hour = now(Say::zone())->toImmutable()->startOfHour();
        for ($h = 23; $h >= 0; $h--) {
            $from = $hour->subHours($h);
            $hours[$from->getTimestamp()] = self::over($feedIds, $from->utc(), $from->addHour()->utc());
        }

        return $hours;
    }

    /** @return float|null seconds */
    public function percentile(float $share): ?float
    {
        $ms = $this->histogram->percentile($share);

        return $ms === null ? null : $ms / 1000;
    }

    public function rate(): float
    {
        return $this->histogram->total() / $this->seconds;
    }

    /** @return list<array{upTo: string, count: int, share: float}> share of the greatest class */
    public function classes(): array
    {
        $counts = $this->histogram->classes(self::CLASSES);
        $most = max(1, ...$counts);
        $words = [...array_map(static fn (float $ms): string => 'up to '.Say::took($ms / 1000), self::CLASSES), 'more than '.Say::took(self::CLASSES[count(self::CLASSES) - 1] / 1000)];

        return array_map(static fn (string $w, int $n): array => ['upTo' => $w, 'count' => $n, 'share' => $n / $most], $words, $counts);
    }
}
