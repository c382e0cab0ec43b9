<?php

declare(strict_types=1);

namespace Tests\App;

use App\Pages\Charts;
use App\Support\Say;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class SayTest extends TestCase
{
    /** @return iterable<array{float|null, string}> */
    public static function spans(): iterable
    {
        yield [null, '—'];
        yield [0.04, '0.0 s'];
        yield [0.44, '0.4 s'];
        yield [9.94, '9.9 s'];
        yield [38.2, '38 s'];
        yield [59.6, '1 min'];
        yield [242, '4 min 02 s'];
        yield [3600, '1 h'];
        yield [7500, '2 h 05 min'];
        yield [298800, '3 d 11 h'];
    }

    #[Test]
    #[DataProvider('spans')]
    public function spans_are_said_the_same_way_everywhere(?float $seconds, string $said): void
    {
        self::assertSame($said, Say::span($seconds));
    }

    #[Test]
    public function numbers_and_sizes_are_short_but_never_wrong_by_rounding_up_a_share(): void
    {
        self::assertSame(['9'."\u{202F}".'999', '10.0 k', '999 k', '1.24 M', '1.00 M'], array_map(Say::short(...), [9999, 10_000, 999_400, 1_240_000, 999_900]));
        self::assertSame(['999 B', '1.00 kB', '33.0 kB', '1.05 GB'], array_map(Say::bytes(...), [999, 1000, 33_000, 1_050_000_000]));
        self::assertSame(['100 %', '99.9 %', '99.9 %', '0.0 %', '—'], array_map(Say::share(...), [1.0, 0.9999999, 0.9991, 0.0, null]));
        self::assertSame(['12 min', '10 h', '38 s', '4.8 s'], array_map(Say::roughly(...), [753.0, 39_480.0, 38.0, 4.8]));
        self::assertSame(['1 row', '2 rows'], array_map(Say::rows(...), [1, 2]));
    }

    #[Test]
    public function a_window_says_a_shared_day_once_and_a_long_name_keeps_its_end(): void
    {
        self::assertSame('2026-10-05 08:00:01.123 → 08:00:09.5', Say::window('2026-10-05 08:00:01.123456+00', '2026-10-05 08:00:09.5+00'));
        self::assertSame('2026-10-05 23:59:59 → 2026-10-06 00:00:04', Say::window('2026-10-05 23:59:59+00', '2026-10-06 00:00:04+00'));
        self::assertSame('17 → 19', Say::window('17', '19'));
        self::assertSame('load_sam…_2026_10', Say::name('load_samples_of_the_vale_autumn_and_all_2026_10', 17));
        self::assertSame('loads', Say::name('loads'));
    }

    #[Test]
    public function axes_have_round_ticks_that_cover_the_greatest_value(): void
    {
        foreach ([0.3, 1, 7, 45, 61, 1000, 86_401, 700_000] as $greatest) {
            foreach ([Charts::ticks((float) $greatest), Charts::timeTicks((float) $greatest)] as $ticks) {
                self::assertSame(0.0, $ticks[0]);
                self::assertGreaterThanOrEqual($greatest, end($ticks));
                self::assertLessThanOrEqual(7, count($ticks));
            }
        }
        self::assertSame([0.0, 15.0, 30.0, 45.0, 60.0, 75.0], Charts::timeTicks(75));
    }

    #[Test]
    public function a_line_is_lifted_where_nothing_was_recorded(): void
    {
        self::assertSame('M0 1L1 2M9 3', Charts::path([[0.0, 1.0], [1.0, 2.0], [9.0, 3.0]], gap: 5));
        self::assertSame('', Charts::path([]));
    }
}
