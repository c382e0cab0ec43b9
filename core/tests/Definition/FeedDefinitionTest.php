<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Definition;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\WatermarkMode;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Definition\InvalidDefinition;
use Lighterman\Core\Definition\Schedule;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\TableName;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class FeedDefinitionTest extends TestCase
{
    private static function make(mixed ...$differently): FeedDefinition
    {
        return new FeedDefinition(...[
            'name' => 'loads', 'source' => new TableName('public', 'loads'),
            'shape' => new Shape([
                new Column('load_id', Type::of(TypeKind::Int64), false), new Column('ticket', Type::of(TypeKind::Text)), new Column('place', Type::unmappable('geometry')),
                new Column('day', Type::of(TypeKind::Date)), new Column('updated_at', Type::of(TypeKind::TimestampTz)),
            ], ['load_id']),
            'capture' => Capture::Watermark, 'key' => ['load_id'], 'landing' => Landing::Upsert, 'landed' => new TableName('gate', 'loads'), 'watermark' => 'updated_at', 'leaveOut' => ['place'],
            ...$differently,
        ]);
    }

    /** @return iterable<string, array{array<string, mixed>, string, string}> */
    public static function refused(): iterable
    {
        yield 'text as watermark' => [['watermark' => 'ticket'], 'loads: watermark', 'ticket is text'];
        yield 'a watermark the table lacks' => [['watermark' => 'changed'], 'loads: watermark', 'no column "changed"'];
        yield 'no watermark' => [['watermark' => null], 'loads: watermark', 'no watermark column is named'];
        yield 'a watermark without a key' => [['key' => []], 'loads: key', 'needs a key'];
        yield 'an unknown key column' => [['key' => ['id']], 'loads: key', 'no column "id"'];
        yield 'replace by watermark' => [['landing' => Landing::Replace], 'loads: landing', 'swaps the whole table'];
        yield 'overlap with append' => [['landing' => Landing::Append, 'overlap' => 60], 'loads: overlap', 'added again'];
        yield 'a negative overlap' => [['overlap' => -1], 'loads: overlap', 'negative'];
        yield 'a type that cannot be carried' => [['leaveOut' => []], 'loads: place', 'geometry'];
        yield 'the key left out' => [['leaveOut' => ['place', 'load_id']], 'loads: leave_out', 'key or the watermark'];
        yield 'a stamp named as a column' => [['deliveredAt' => 'ticket'], 'loads: stamps', '"ticket"'];
        yield 'two stamps of one name' => [['deliveredAt' => 'x', 'sourcePosition' => 'x'], 'loads: stamps', 'same name'];
        yield 'a promise of nothing' => [['promiseSeconds' => 0], 'loads: promise_seconds', 'not between'];
        yield 'a name with a slash' => [['name' => 'a/b'], 'name', 'cannot name a feed'];
        yield 'a reload with a watermark' => [['capture' => Capture::Reload, 'landing' => Landing::Replace], 'loads: watermark', 'takes no watermark'];
        yield 'a reload by upsert without a key' => [['capture' => Capture::Reload, 'watermark' => null, 'key' => []], 'loads: key', 'needs a key'];
    }

    /** @param  array<string, mixed>  $differently */
    #[Test]
    #[DataProvider('refused')]
    public function what_cannot_be_carried_out_is_refused_with_place_and_remedy(array $differently, string $place, string $said): void
    {
        try {
            self::make(...$differently);
            self::fail('It was accepted.');
        } catch (InvalidDefinition $e) {
            self::assertSame($place, $e->place);
            self::assertStringContainsString($said, $e->getMessage());
            self::assertNotSame('', $e->remedy());
        }
    }

    #[Test]
    public function a_definition_survives_json(): void
    {
        $definition = self::make(schedule: Schedule::cron('5 4 * * 1', 'Europe/London'), overlap: 30, promiseSeconds: 77, sourcePosition: null);
        self::assertEquals($definition, FeedDefinition::fromArray(json_decode((string) json_encode($definition->toArray()), true)));
    }

    #[Test]
    public function the_watermark_says_how_windows_behave(): void
    {
        self::assertSame(WatermarkMode::Moment, self::make()->watermarkMode());
        self::assertSame(WatermarkMode::Open, self::make(watermark: 'day')->watermarkMode());
        self::assertSame(WatermarkMode::Open, self::make(watermark: 'load_id')->watermarkMode());
        self::assertSame(WatermarkMode::Unique, self::make(watermark: 'load_id', watermarkUnique: true)->watermarkMode());
    }

    #[Test]
    public function what_is_left_out_is_not_carried(): void
    {
        self::assertSame(['load_id', 'ticket', 'day', 'updated_at'], self::make()->carried()->names());
    }
}
