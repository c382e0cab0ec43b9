<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Capture;

use Lighterman\Core\Capture\BoundNote;
use Lighterman\Core\Capture\SourceMoment;
use Lighterman\Core\Capture\WatermarkMode;
use Lighterman\Core\Capture\Window;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Position\StartPosition;
use Lighterman\Core\Position\WatermarkPosition;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class WindowTest extends TestCase
{
    private static function at(int $second): string
    {
        return sprintf('2026-10-05T08:%02d:%02d.000000Z', intdiv($second, 60), $second % 60);
    }

    private static function seen(int $clock, ?int $oldestOpen, ?string $bound): SourceMoment
    {
        return new SourceMoment(self::at($clock), $oldestOpen === null ? null : self::at($oldestOpen), $bound, self::at(min($clock, $oldestOpen ?? $clock)));
    }

    #[Test]
    public function a_window_over_moments_ends_where_the_source_held_it_back_to(): void
    {
        $moment = new SourceMoment(self::at(100), self::at(60), '2026-10-05 08:01:00+00', self::at(60));
        $window = Window::following(new WatermarkPosition('2026-10-05 08:00:00+00'), WatermarkMode::Moment, Landing::Upsert, $moment, null);

        self::assertSame('2026-10-05 08:01:00+00', $window?->until);
        self::assertFalse($window->withUntil);
        self::assertSame(self::at(60), $window->sourceTime, 'complete only up to the oldest open transaction');
        self::assertTrue($window->end->equals(new WatermarkPosition('2026-10-05 08:01:00+00')));
    }

    #[Test]
    public function an_interrupted_window_keeps_its_bound(): void
    {
        $from = new WatermarkPosition('5', ['17'], '9', self::at(10));
        $window = Window::following($from, WatermarkMode::Open, Landing::Upsert, self::seen(100, null, '42'), null);

        self::assertTrue($window?->end->equals(new WatermarkPosition('9')));
        self::assertSame(self::at(10), $window->sourceTime);
    }

    #[Test]
    public function a_number_waits_until_everyone_who_was_open_when_it_was_seen_has_ended(): void
    {
        $from = new WatermarkPosition('10', []);
        $first = self::seen(100, 90, '20');
        self::assertNull(Window::following($from, WatermarkMode::Unique, Landing::Append, $first, null));
        $note = Window::noteFor(WatermarkMode::Unique, $first, null);
        self::assertEquals(new BoundNote('20', self::at(100)), $note);

        $still = self::seen(110, 90, '25');
        self::assertNull(Window::following($from, WatermarkMode::Unique, Landing::Append, $still, $note));
        self::assertEquals($note, Window::noteFor(WatermarkMode::Unique, $still, $note), 'the older number is the one waited for');

        $later = self::seen(120, 105, '30');
        $window = Window::following($from, WatermarkMode::Unique, Landing::Append, $later, $note);
        self::assertSame('20', $window?->until);
        self::assertTrue($window->withUntil);
        self::assertSame(self::at(100), $window->sourceTime);
        self::assertEquals(new BoundNote('30', self::at(120)), Window::noteFor(WatermarkMode::Unique, $later, $note));
    }

    #[Test]
    public function with_nobody_open_a_number_bounds_at_once_and_nothing_is_noted(): void
    {
        $moment = self::seen(100, 101, '20');
        self::assertSame('20', Window::following(new WatermarkPosition('10', []), WatermarkMode::Unique, Landing::Append, $moment, null)?->until);
        self::assertNull(Window::noteFor(WatermarkMode::Unique, $moment, null));
    }

    #[Test]
    public function an_open_value_is_read_again_by_upsert_and_waited_out_by_append(): void
    {
        $moment = self::seen(100, null, '2026-10-05');
        $upsert = Window::following(new WatermarkPosition('2026-10-04'), WatermarkMode::Open, Landing::Upsert, $moment, null);
        $append = Window::following(new WatermarkPosition('2026-10-04'), WatermarkMode::Open, Landing::Append, $moment, null);

        self::assertNull($upsert?->until, 'reads to the end of what is visible');
        self::assertSame('2026-10-05', $append?->until);
        self::assertNull($upsert->end->key, 'the latest value stays open');
    }

    #[Test]
    public function an_empty_table_has_no_bound(): void
    {
        self::assertNull(Window::forLoad(new StartPosition, WatermarkMode::Unique, self::seen(1, null, null), null));
    }

    /**
     * Numbers are handed out in order but committed in any order, some long after; windows are taken at random times. Whatever
     * the interleaving, every number is read exactly once.
     */
    #[Test]
    public function no_interleaving_of_commits_and_windows_loses_or_doubles_a_number(): void
    {
        for ($seed = 1; $seed <= 300; $seed++) {
            mt_srand($seed);
            /** @var array<int, array{begins: int, commits: int}> $rows by number, in the order the numbers were given */
            $rows = [];
            for ($n = 1, $clock = 0; $n <= 40; $n++) {
                $clock += mt_rand(0, 4);
                $rows[$n] = ['begins' => $clock, 'commits' => $clock + (mt_rand(0, 5) === 0 ? mt_rand(10, 60) : mt_rand(0, 3))];
            }
            $position = new WatermarkPosition('0', []);
            $note = null;
            $read = [];
            for ($now = 1; $now <= 400; $now += mt_rand(1, 7)) {
                $visible = array_keys(array_filter($rows, static fn (array $r): bool => $r['commits'] <= $now));
                $open = array_filter($rows, static fn (array $r): bool => $r['begins'] <= $now && $r['commits'] > $now);
                $moment = self::seen($now, $open ? min(array_column($open, 'begins')) : null, $visible ? (string) max($visible) : null);
                $window = Window::following($position, WatermarkMode::Unique, Landing::Append, $moment, $note);
                $note = Window::noteFor(WatermarkMode::Unique, $moment, $note);
                if ($window !== null) {
                    array_push($read, ...array_filter($visible, static fn (int $n): bool => $n > (int) $position->watermark && $n <= (int) $window->until));
                    $position = $window->end;
                }
            }
            sort($read);
            self::assertSame(range(1, 40), $read, "seed {$seed}");
        }
    }
}
