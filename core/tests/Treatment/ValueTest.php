<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Treatment;

use Brick\Math\BigDecimal;
use DateTimeImmutable;
use DateTimeZone;
use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Moment;
use Lighterman\Core\Treatment\Value\Number;
use Lighterman\Core\Treatment\Value\Real;
use Lighterman\Core\Treatment\Value\Unit;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** Numbers, moments, units and truth values in their text form. */
final class ValueTest extends TestCase
{
    /** @return iterable<string, array{string|bool|int|null, mixed}> */
    public static function results(): iterable
    {
        yield 'a third' => [Number::divide('1', '3'), '0.3333333333'];
        yield 'a whole quotient' => [Number::divide('10', '5'), '2'];
        yield 'a large whole quotient' => [Number::divide('5000', '0.5'), '10000'];
        yield 'the remainder of a negative number' => [Number::remainder('-7', '3'), '-1'];
        yield 'half away from zero' => [Number::round('-2.5', '0'), '-3'];
        yield 'rounded to hundreds' => [Number::round('1250', '-2'), '1300'];
        yield 'no negative zero' => [Number::multiply('-0.1', '0'), '0.0'];
        yield 'nothing comes of nothing' => [Number::add(null, '1'), null];
        yield 'floor' => [Number::floor('-0.1'), '-1'];
        yield 'ceiling' => [Number::ceiling('0.1'), '1'];
        yield 'more digits than a double tells apart' => [Number::compare('10000000000000000.1', '10000000000000000.2'), -1];
        yield 'least skips nulls' => [Number::least(null, '2', '10'), '2'];
        yield 'greatest of nothing' => [Number::greatest(null, null), null];
        yield 'blank text is no number' => [Number::of("  \t"), null];
        yield 'fractions before 1970' => [Moment::secondsBetween('1969-12-31 23:59:59.5+00', '1970-01-01 00:00:00.25+00'), '0.750000'];
        yield 'fractions on one side of it' => [Moment::secondsBetween('1926-05-04 03:02:01.9', '1926-05-04 03:02:02.1'), '0.200000'];
        yield 'seconds across zones' => [Moment::secondsBetween('2026-07-01 12:00:00+02', '2026-07-01 12:00:00+00:00'), '7200.000000'];
        yield 'a month after the last of January' => [Moment::addMonths('2026-01-31', '1'), '2026-02-28'];
        yield 'a year after a leap day' => [Moment::addMonths('2024-02-29', '12'), '2025-02-28'];
        yield 'after the year 9999' => [Moment::addDays('9999-12-31', '1'), '10000-01-01'];
        yield 'days backwards' => [Moment::daysBetween('2026-03-01 23:59:59', '2026-02-01 00:00:00'), '-28'];
        yield 'the first of its month' => [Moment::month('2026-11-28 01:00:00+02'), '2026-11-01'];
        yield 'the hour in UTC' => [Moment::part('2026-11-28 01:30:00+02', 'H'), '23'];
        yield 'the same moment' => [Moment::compare('2026-11-28 01:00:00+01', '2026-11-28 00:00:00Z'), 0];
        yield 'boiling' => [Unit::convert('212', 'F', 'C'), '100'];
        yield 'freezing' => [Unit::convert('0', 'C', 'F'), '32'];
        yield 'body heat' => [Unit::convert('98.6', 'F', 'C'), '37'];
        yield 'absolute zero' => [Unit::convert('0', 'K', 'C'), '-273.15'];
        yield 'pounds' => [Unit::convert('1', 'lb', 'kg'), '0.45359237'];
        yield 'tonnes' => [Unit::convert('1500', 'kg', 't'), '1.5'];
        yield 'acres' => [Unit::convert('2.5', 'acre', 'm2'), '10117.141056'];
        yield 'one way only' => [Unit::agree('kg', 'm'), false];
        yield 'the shortest text of a double' => [Real::text(0.1 + 0.2), '0.30000000000000004'];
        yield 'not a number' => [Real::text(Real::of('NaN')), 'NaN'];
        yield 'minus infinity' => [Real::text(Real::calculate(Real::of('-Infinity'), '+', 1.0)), '-Infinity'];
        yield 'unknown and false' => [Real::all(null, false), false];
        yield 'unknown and true' => [Real::all(null, true), null];
        yield 'unknown or true' => [Real::either(null, true), true];
        yield 'unknown or false' => [Real::either(null, false), null];
        yield 'not unknown' => [Real::not(null), null];
        yield 'true is more' => [Real::compareFlags(true, false), 1];
    }

    #[Test, DataProvider('results')]
    public function it_is(string|bool|int|null $is, mixed $wanted): void
    {
        self::assertSame($wanted, $is);
    }

    #[Test]
    public function short_and_long_numbers_are_reckoned_alike_to_the_last_digit(): void
    {
        $random = new Randomizer(new Mt19937($seed = random_int(1, PHP_INT_MAX)));
        $number = static function () use ($random): string {
            $digits = (string) $random->getInt(0, 10 ** $random->getInt(1, 17));
            $places = $random->getInt(0, 8);

            return ($random->getInt(0, 1) ? '-' : '').($places === 0 ? $digits : sprintf('%s.%s', substr(str_pad($digits, $places + 1, '0', STR_PAD_LEFT), 0, -$places), substr(str_pad($digits, $places + 1, '0', STR_PAD_LEFT), -$places)));
        };
        for ($n = 0; $n < 5000; $n++) {
            [$a, $b] = [$number(), $number()];
            foreach (['add' => 'plus', 'subtract' => 'minus', 'multiply' => 'multipliedBy'] as $ours => $exact) {
                $is = BigDecimal::of((string) Number::$ours($a, $b));
                self::assertTrue($is->isEqualTo(BigDecimal::of($a)->{$exact}($b)), "{$ours}({$a}, {$b}) is {$is}, seed {$seed}");
            }
            self::assertSame(BigDecimal::of($a)->compareTo($b), Number::compare($a, $b), "{$a} and {$b}, seed {$seed}");
        }
    }

    #[Test]
    public function moments_of_any_time_are_as_far_apart_as_clocks_say(): void
    {
        $random = new Randomizer(new Mt19937($seed = random_int(1, PHP_INT_MAX)));
        $utc = new DateTimeZone('UTC');
        for ($n = 0; $n < 1000; $n++) {
            [$a, $b] = [$random->getInt(-4_000_000_000_000_000, 4_000_000_000_000_000), $random->getInt(-4_000_000_000_000_000, 4_000_000_000_000_000)];
            $text = static fn (int $us): string => (new DateTimeImmutable('@'.(int) floor($us / 1_000_000), $utc))->format('Y-m-d H:i:s').sprintf('.%06d+00', ($us % 1_000_000 + 1_000_000) % 1_000_000);
            self::assertSame(0, BigDecimal::of((string) Moment::secondsBetween($text($a), $text($b)))->multipliedBy(1_000_000)->compareTo($b - $a), "{$text($a)} to {$text($b)}, seed {$seed}");
            self::assertSame($a <=> $b, Moment::compare($text($a), $text($b)));
        }
    }

    /** @return iterable<string, array{callable(): mixed, string}> */
    public static function faults(): iterable
    {
        yield 'by zero' => [static fn () => Number::divide('1', '0.00'), 'division_by_zero'];
        yield 'rest of zero' => [static fn () => Number::remainder('1', '0'), 'division_by_zero'];
        yield 'inexact by zero' => [static fn () => Real::calculate(1.0, '/', 0.0), 'division_by_zero'];
        yield 'inexact rest of zero' => [static fn () => Real::calculate(1.0, '%', 0.0), 'division_by_zero'];
        yield 'words' => [static fn () => Number::add('x', '1'), 'not_a_number'];
        yield 'inexact words' => [static fn () => Real::of('1,5'), 'not_a_number'];
        yield 'a huge exponent' => [static fn () => Number::of('1e99999'), 'out_of_range'];
        yield 'too many places' => [static fn () => Number::round('1', '100'), 'out_of_range'];
        yield 'no such day' => [static fn () => Moment::date('2026-02-29'), 'not_a_date'];
        yield 'no such hour' => [static fn () => Moment::date('2026-02-28 25:00:00'), 'not_a_date'];
        yield 'no such minute' => [static fn () => Moment::date('2026-02-28 10:60'), 'not_a_date'];
        yield 'more than a moment' => [static fn () => Moment::date("2026-02-28\n"), 'not_a_date'];
        yield 'infinity' => [static fn () => Moment::addDays('infinity', '1'), 'not_a_date'];
        yield 'part of a day' => [static fn () => Moment::addDays('2026-02-28', '0.5'), 'out_of_range'];
        yield 'weight of words' => [static fn () => Unit::convert('heavy', 'kg', 't'), 'not_a_number'];
    }

    /** @param  callable(): mixed  $do */
    #[Test, DataProvider('faults')]
    public function what_has_no_result_is_a_fault_of_the_value(callable $do, string $reason): void
    {
        try {
            $do();
            self::fail('There was a result.');
        } catch (Fault $fault) {
            self::assertSame($reason, $fault->reason);
        }
    }
}
