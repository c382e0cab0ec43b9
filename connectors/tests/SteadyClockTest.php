<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\SteadyClock;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class SteadyClockTest extends TestCase
{
    protected function tearDown(): void
    {
        SteadyClock::set((int) (microtime(true) * 1e6));
    }

    #[Test]
    public function it_goes_on_from_where_it_was_set_and_durations_do_not_notice(): void
    {
        $began = SteadyClock::seconds();
        SteadyClock::set(1_000_000_000_000_000);
        usleep(20_000);
        $passed = SteadyClock::micros() - 1_000_000_000_000_000;
        self::assertGreaterThanOrEqual(20_000, $passed);
        self::assertLessThan(5_000_000, $passed);
        self::assertSame(1_000_000_000, SteadyClock::time());
        SteadyClock::set(2_000_000_000_000_000);
        self::assertLessThan(5.0, SteadyClock::seconds() - $began);
    }
}
