<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Position;

use InvalidArgumentException;
use Lighterman\Core\Position\LogPlace;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Position\ReadingPlace;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class PlaceTest extends TestCase
{
    /** @return iterable<string, array{list<Place>, callable(string): Place}> places in their order, and what reads their texts */
    public static function streams(): iterable
    {
        yield 'a log' => [[LogPlace::before(0), LogPlace::commitAt(0), LogPlace::before(9), LogPlace::commitAt(9), LogPlace::before(10), LogPlace::before(0x1_0000_0000), LogPlace::commitAt(0x1_0000_0000), LogPlace::before(PHP_INT_MAX)], LogPlace::parse(...)];
        yield 'readings' => [[ReadingPlace::before(0, 0), ReadingPlace::unitAfter(0, 0), ReadingPlace::before(0, 1), ReadingPlace::before(1, 0), ReadingPlace::unitAfter(1, 300), ReadingPlace::before(1, 301), ReadingPlace::before(0xFFFF_FFFF, 0)], ReadingPlace::parse(...)];
    }

    /**
     * @param  list<Place>  $places
     * @param  callable(string): Place  $read
     */
    #[Test]
    #[DataProvider('streams')]
    public function a_place_covers_itself_and_what_comes_before_it(array $places, callable $read): void
    {
        foreach ($places as $i => $place) {
            self::assertEquals($place, $read($place->text()));
            foreach ($places as $j => $other) {
                self::assertSame($i >= $j, $place->covers($other), "{$place->text()} and {$other->text()}");
            }
        }
    }

    #[Test]
    public function a_transaction_that_follows_at_once_is_not_among_those_before_it(): void
    {
        // The commit of the next may begin at the very byte where the one before it ends.
        self::assertFalse(LogPlace::before(0x2A)->covers(LogPlace::commitAt(0x2A)));
        self::assertTrue(LogPlace::commitAt(0x2A)->covers(LogPlace::before(0x2A)));
        self::assertFalse(ReadingPlace::before(3, 1)->covers(ReadingPlace::unitAfter(3, 1)));
    }

    #[Test]
    public function the_texts_of_changes_order_as_they_do(): void
    {
        foreach (self::streams() as [$places]) {
            $texts = array_merge(...array_map(static fn (Place $p): array => [$p->ofChange(1), $p->ofChange(300)], array_filter($places, static fn (Place $p): bool => str_ends_with($p->text(), '+'))));
            $sorted = $texts;
            sort($sorted, SORT_STRING);
            self::assertSame($sorted, $texts);
        }
    }

    #[Test]
    public function places_of_different_streams_are_not_comparable(): void
    {
        self::assertFalse(LogPlace::before(9)->covers(ReadingPlace::before(0, 0)));
        self::assertFalse(ReadingPlace::before(9, 0)->covers(LogPlace::before(0)));
    }

    /** @return iterable<array{string}> */
    public static function wrong(): iterable
    {
        foreach (['', '1', '1-2', '1/2/3', '123456789/0', 'G/0', '1/0++', ' 1/0', "1/0\n"] as $text) {
            yield [$text];
        }
    }

    #[Test]
    #[DataProvider('wrong')]
    public function what_is_no_place_is_refused(string $text): void
    {
        foreach ([LogPlace::parse(...), ReadingPlace::parse(...)] as $parse) {
            try {
                $parse($text);
                self::fail('It was taken.');
            } catch (InvalidArgumentException $e) {
                self::assertStringContainsString('is not a', $e->getMessage());
            }
        }
        $this->expectException(InvalidArgumentException::class);
        LogPlace::parse('FFFFFFFF/0');
    }
}
