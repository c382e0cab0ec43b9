<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Latency;

use InvalidArgumentException;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Latency\Histogram;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class HistogramTest extends TestCase
{
    /** @return list<float> milliseconds over eight orders of magnitude */
    private static function durations(int $seed, int $count): array
    {
        mt_srand($seed);

        return array_map(static fn (): float => 10 ** (mt_rand(0, 8000) / 1000 - 0.5), range(1, $count));
    }

    #[Test]
    public function every_percentile_is_within_the_stated_error(): void
    {
        for ($round = 0; $round < 40; $round++) {
            $all = self::durations($round, 400);
            $histogram = new Histogram;
            array_map(static fn (float $ms) => $histogram->add($ms), $all);
            sort($all);
            foreach ([0.01, 0.25, 0.5, 0.9, 0.95, 0.99, 1.0] as $share) {
                $true = $all[(int) ceil($share * 400) - 1];
                self::assertEqualsWithDelta($true, $histogram->percentile($share), $true * Histogram::RELATIVE_ERROR, "round {$round}, {$share}");
            }
            self::assertSame(max($all), $histogram->worst());
        }
    }

    #[Test]
    public function histograms_of_parts_add_up_to_that_of_the_whole_in_any_order(): void
    {
        [$whole, $left, $right, $back] = [new Histogram, new Histogram, new Histogram, new Histogram];
        foreach (self::durations(1, 300) as $n => $ms) {
            $whole->add($ms, 1 + $n % 3);
            ($n % 2 === 0 ? $left : $right)->add($ms, 1 + $n % 3);
        }
        $back->merge($right);
        $back->merge($left);
        $left->merge($right);
        self::assertSame($whole->toJson(), $left->toJson());
        self::assertSame($whole->toJson(), $back->toJson());
        self::assertSame($whole->total(), $left->total());
        self::assertSame($whole->toJson(), Histogram::fromJson($whole->toJson())->toJson());
    }

    #[Test]
    public function nothing_counted_has_no_percentile_and_no_delay_is_zero(): void
    {
        $histogram = new Histogram;
        self::assertNull($histogram->percentile(0.5));
        $histogram->add(-3.0);
        $histogram->add(0.0);
        self::assertSame(0.0, $histogram->percentile(1.0));
    }

    #[Test]
    public function classes_count_everything_once(): void
    {
        $histogram = new Histogram;
        foreach (self::durations(2, 500) as $ms) {
            $histogram->add($ms);
        }
        $classes = $histogram->classes([1.0, 100.0, 10_000.0]);
        self::assertCount(4, $classes);
        self::assertSame(500, array_sum($classes));
    }

    #[Test]
    public function shares_out_of_range_and_other_json_are_refused(): void
    {
        foreach ([static fn () => (new Histogram)->percentile(0.0), static fn () => (new Histogram)->percentile(1.1), static fn () => Histogram::fromJson('[]')] as $refused) {
            try {
                $refused();
                self::fail('it was taken');
            } catch (InvalidArgumentException $e) {
                self::assertNotSame('', $e->getMessage());
            }
        }
    }

    #[Test]
    public function the_true_offset_of_a_clock_lies_within_the_stated_bound_however_the_way_is_split(): void
    {
        foreach ([0, 250, 500, 750, 1000] as $there) {
            $ahead = 5_000;
            $offset = ClockOffset::between(1_000_000, 1_000_000 + $there + $ahead, 1_001_000);
            self::assertLessThanOrEqual($offset->uncertain, abs($offset->ahead - $ahead));
        }
    }
}
