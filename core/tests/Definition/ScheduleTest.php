<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Definition;

use DateTimeImmutable;
use Lighterman\Core\Definition\CronReading;
use Lighterman\Core\Definition\Schedule;
use Lighterman\Core\Trouble\InvalidDefinition;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class ScheduleTest extends TestCase
{
    #[Test]
    public function each_kind_names_its_next_time(): void
    {
        $started = new DateTimeImmutable('2026-10-05 08:00:00');
        $ended = new DateTimeImmutable('2026-10-05 08:00:20');

        self::assertNull(Schedule::manual()->next($started, $ended));
        self::assertEquals(new DateTimeImmutable('2026-10-05 08:05:00'), Schedule::everyMinutes(5)->next($started, $ended));
        self::assertEquals(new DateTimeImmutable('2026-10-05 08:00:30'), Schedule::continuous(10)->next($started, $ended));
        self::assertEquals(new DateTimeImmutable('2026-10-06 02:00:00'), Schedule::cron('0 2 * * *')->next($started, $ended));
    }

    #[Test]
    public function a_run_longer_than_its_interval_is_followed_at_once(): void
    {
        $ended = new DateTimeImmutable('2026-10-05 08:09:00');
        self::assertEquals($ended, Schedule::everyMinutes(5)->next(new DateTimeImmutable('2026-10-05 08:00:00'), $ended));
    }

    #[Test]
    public function cron_is_read_in_its_own_zone_across_the_change_of_clocks(): void
    {
        $times = Schedule::cron('30 7 * * *', 'Europe/London')->upcoming(new DateTimeImmutable('2026-10-24 12:00:00'), 2);
        self::assertSame(['2026-10-25 07:30', '2026-10-26 07:30'], array_map(static fn (DateTimeImmutable $t): string => $t->format('Y-m-d H:i'), $times));
        $summer = Schedule::cron('30 7 * * *', 'Europe/London')->upcoming(new DateTimeImmutable('2026-07-01 12:00:00'), 1);
        self::assertSame('06:30', $summer[0]->format('H:i'));
    }

    /** @return iterable<string, array{string, string, string, list<string>}> */
    public static function changesOfClocks(): iterable
    {
        yield 'a time in the doubled hour runs once, the first time' => ['30 1 * * *', 'Europe/London', '2026-10-24T12:00:00Z', ['2026-10-25T00:30:00Z', '2026-10-26T01:30:00Z']];
        yield 'also when asked between the two' => ['30 1 * * *', 'Europe/London', '2026-10-25T00:45:00Z', ['2026-10-26T01:30:00Z']];
        yield 'every hour goes on through it' => ['30 * * * *', 'Europe/London', '2026-10-24T23:45:00Z', ['2026-10-25T00:30:00Z', '2026-10-25T01:30:00Z', '2026-10-25T02:30:00Z']];
        yield 'a time that the clock skips runs when it is put forward' => ['30 1 * * *', 'Europe/London', '2026-03-28T12:00:00Z', ['2026-03-29T01:00:00Z', '2026-03-30T00:30:00Z']];
        yield 'every quarter in a zone that changes by half an hour' => ['*/15 * * * *', 'Australia/Lord_Howe', '2026-04-04T14:45:00Z', ['2026-04-04T15:00:00Z', '2026-04-04T15:15:00Z', '2026-04-04T15:30:00Z']];
        yield 'every hour there' => ['0 * * * *', 'Australia/Lord_Howe', '2026-04-04T14:00:00Z', ['2026-04-04T15:30:00Z', '2026-04-04T16:30:00Z']];
        yield 'the doubled half hour there' => ['45 * * * *', 'Australia/Lord_Howe', '2026-04-04T14:00:00Z', ['2026-04-04T14:45:00Z', '2026-04-04T15:15:00Z', '2026-04-04T16:15:00Z']];
        yield 'a quarter of an hour off' => ['0 6 * * *', 'Asia/Kathmandu', '2026-04-04T14:00:00Z', ['2026-04-05T00:15:00Z']];
    }

    /** @param  list<string>  $times */
    #[Test]
    #[DataProvider('changesOfClocks')]
    public function a_schedule_has_a_rule_for_clocks_that_are_put_forward_and_back(string $expression, string $zone, string $after, array $times): void
    {
        self::assertSame($times, array_map(static fn (DateTimeImmutable $t): string => $t->format('Y-m-d\TH:i:s\Z'), Schedule::cron($expression, $zone)->upcoming(new DateTimeImmutable($after), count($times))));
    }

    #[Test]
    public function the_next_time_is_always_later_and_never_passed_over(): void
    {
        foreach (['Europe/London', 'Australia/Lord_Howe', 'America/St_Johns', 'Africa/Casablanca', 'UTC'] as $zone) {
            $quarters = Schedule::cron('*/15 * * * *', $zone);
            // A year in steps of 37 minutes would take long; the weeks of changes are in it.
            foreach (['2026-02-10', '2026-03-07', '2026-03-28', '2026-04-04', '2026-10-03', '2026-10-24', '2026-10-31'] as $day) {
                for ($at = (int) strtotime("{$day}T12:00:00Z"), $end = $at + 48 * 3600; $at < $end; $at += 37 * 60) {
                    $next = $quarters->next(new DateTimeImmutable("@{$at}"), new DateTimeImmutable("@{$at}"))?->getTimestamp();
                    self::assertGreaterThan($at, $next, $zone);
                    self::assertLessThanOrEqual($at + 15 * 60, $next, "{$zone} after ".gmdate('c', $at));
                }
            }
        }
    }

    /** @return iterable<array{string, string}> */
    public static function readings(): iterable
    {
        yield ['* * * * *', 'every minute'];
        yield ['*/10 6-20 * * 1-5', 'every 10 minutes from 06:00 to 20:59 on Monday to Friday'];
        yield ['0 2 * * *', 'at 02:00'];
        yield ['30 8,14 * * *', 'at 08:30 and 14:30'];
        yield ['0 * * * *', 'every hour'];
        yield ['15 * * * *', 'at minute 15 of every hour'];
        yield ['0 5 1 * *', 'at 05:00 on day 1 of the month'];
        yield ['0 5 * 9-11 MON', 'at 05:00 on Monday in September to November'];
        yield ['0 5 1 * 1', 'at 05:00 on day 1 of the month and also on Monday'];
        yield ['@daily', 'at 00:00'];
    }

    #[Test]
    #[DataProvider('readings')]
    public function cron_is_put_into_words(string $expression, string $words): void
    {
        self::assertSame($words, CronReading::of($expression));
    }

    /** @return iterable<array{callable(): Schedule}> */
    public static function wrong(): iterable
    {
        yield [static fn (): Schedule => Schedule::cron('61 * * * *')];
        yield [static fn (): Schedule => Schedule::cron('')];
        yield [static fn (): Schedule => Schedule::cron('0 2 * * *', 'Vale/Aldermoor')];
        yield [static fn (): Schedule => Schedule::cron('0 0 31 2 *')];
        yield [static fn (): Schedule => Schedule::cron('0 0 30 2 *', 'Europe/London')];
        yield [static fn (): Schedule => Schedule::everyMinutes(0)];
        yield [static fn (): Schedule => Schedule::continuous(4000)];
    }

    /** @param  callable(): Schedule  $make */
    #[Test]
    #[DataProvider('wrong')]
    public function what_cannot_be_scheduled_is_refused(callable $make): void
    {
        $this->expectException(InvalidDefinition::class);
        $make();
    }

    #[Test]
    public function a_schedule_survives_its_written_form(): void
    {
        foreach ([Schedule::manual(), Schedule::everyMinutes(90), Schedule::continuous(3), Schedule::cron('0 2 * * *', 'Europe/London')] as $schedule) {
            self::assertEquals($schedule, Schedule::fromArray($schedule->toArray()));
        }
    }
}
