<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Latency;

use DateTimeImmutable;
use Lighterman\Core\Latency\Behind;
use Lighterman\Core\Latency\PromiseKept;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class BehindTest extends TestCase
{
    #[Test]
    public function behind_is_the_time_since_the_copy_was_complete(): void
    {
        $now = new DateTimeImmutable('2026-10-05 08:00:01.500000');
        self::assertEqualsWithDelta(1.25, Behind::seconds(new DateTimeImmutable('2026-10-05 08:00:00.250000'), $now), 1e-4);
        self::assertSame(0.0, Behind::seconds(new DateTimeImmutable('2026-10-05 08:00:09'), $now), 'a source whose clock is ahead is not behind');
        self::assertNull(Behind::seconds(null, $now));
    }

    #[Test]
    public function the_ruler_runs_from_now_to_a_week_and_never_backwards(): void
    {
        self::assertSame(0.0, Behind::place(0));
        self::assertSame(1.0, Behind::place(604_800));
        self::assertSame(1.0, Behind::place(9e9));
        $before = -1.0;
        foreach ([0.1, 1, 5, 60, 600, 3600, 86400] as $seconds) {
            self::assertGreaterThan($before, $before = Behind::place((float) $seconds));
        }
    }

    #[Test]
    public function a_promise_is_kept_in_a_share_of_the_minutes(): void
    {
        $kept = PromiseKept::counted(all: 100, minutes: 60, kept: 45, paused: 20, before: 5);
        self::assertSame(0.75, $kept->share(), 'of the minutes that count');
        self::assertSame(['paused' => 20, 'before the first load was complete' => 5, 'not looked at' => 15], $kept->leftOut());
        self::assertNull(PromiseKept::counted(10, 0, 0, 10, 0)->share());
        self::assertSame([], PromiseKept::counted(10, 10, 10, 0, 0)->leftOut());
    }
}
