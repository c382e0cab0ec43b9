<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Definition;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\WatermarkMode;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Definition\Schedule;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Stamps;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Trouble\InvalidDefinition;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class FeedDefinitionTest extends TestCase
{
    private static function make(mixed ...$differently): FeedDefinition
    {
        return Definitions::of(...[
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
        yield 'a stamp named as a column' => [['stamps' => new Stamps('ticket')], 'loads: stamps', '"ticket"'];
        yield 'two stamps of one name' => [['stamps' => new Stamps('x', 'x')], 'loads: stamps', 'same name'];
        yield 'a promise of nothing' => [['promiseSeconds' => 0], 'loads: promise_seconds', 'not between'];
        yield 'a name with a slash' => [['name' => 'a/b'], 'name', 'cannot name a feed'];
        yield 'a reload with a watermark' => [['capture' => Capture::Reload, 'landing' => Landing::Replace], 'loads: watermark', 'takes no watermark'];
        $treated = static fn (array $columns, array $more = []): array => ['treatment' => Treatment::fromArray($more + ['columns' => $columns, 'failing' => 'set_aside'])];
        yield 'an outcome that is not stated' => [$treated([['from' => 'ticket', 'drop' => true]], ['failing' => '']), 'loads: treatment', 'not stated what becomes of a record'];
        yield 'a key that is dropped' => [$treated([['from' => 'load_id', 'drop' => true]]), 'loads: treatment', 'load_id belongs to the key'];
        yield 'a key whose values may become the same' => [$treated([['from' => 'load_id', 'steps' => [['derive' => 'value % 10']]]]), 'loads: treatment', 'different values have to stay different'];
        yield 'a key that a mask hides' => [$treated([['from' => 'load_id', 'steps' => [['mask' => 'keyed_hash']]]]), 'loads: treatment', 'kept as the feed\'s position'];
        yield 'a watermark that a mask hides' => [$treated([['from' => 'updated_at', 'steps' => [['mask' => 'month']]]]), 'loads: treatment', 'kept as the feed\'s position'];
        yield 'a treatment of a column that is left out' => [$treated([['from' => 'place', 'drop' => true]]), 'loads: treatment', 'no column "place"'];
        yield 'a landed column named as a stamp' => [$treated([['from' => 'ticket', 'as' => 'delivered_at']]), 'loads: stamps', '"delivered_at"'];
        yield 'an expression with a mistake' => [$treated([['as' => 'x', 'steps' => [['derive' => 'ticket +']]]]), 'loads: treatment', 'at character 9'];
        yield 'a check of nothing' => [$treated([], ['checks' => [['check' => 'required', 'columns' => ['tickets'], 'else' => 'drop']]]), 'loads: treatment', 'no column "tickets"'];
        yield 'uniqueness among changes' => [['capture' => Capture::Log, 'watermark' => null] + $treated([], ['checks' => [['check' => 'unique', 'columns' => ['ticket'], 'else' => 'drop']]]), 'loads: checks', 'nothing can be unique'];
        yield 'a rule that is no condition' => [$treated([], ['watch' => [['name' => 'n', 'expression' => 'load_id + 1']]]), 'loads: treatment', 'true or false'];
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
            self::assertNotSame('', $e->remedy()->said);
        }
    }

    #[Test]
    public function a_definition_survives_json(): void
    {
        $definition = self::make(schedule: Schedule::cron('5 4 * * 1', 'Europe/London'), overlap: 30, promiseSeconds: 77, stamps: new Stamps(sourcePosition: null));
        self::assertEquals($definition, FeedDefinition::fromArray(json_decode((string) json_encode($definition->toArray()), true)));
    }

    #[Test]
    public function the_watermark_says_how_windows_behave(): void
    {
        self::assertSame(WatermarkMode::Moment, self::make()->origin->watermarkMode());
        self::assertSame(WatermarkMode::Open, self::make(watermark: 'day')->origin->watermarkMode());
        self::assertSame(WatermarkMode::Open, self::make(watermark: 'load_id')->origin->watermarkMode());
        self::assertSame(WatermarkMode::Unique, self::make(watermark: 'load_id', watermarkUnique: true)->origin->watermarkMode());
    }

    #[Test]
    public function what_is_left_out_is_not_carried(): void
    {
        self::assertSame(['load_id', 'ticket', 'day', 'updated_at'], self::make()->carried()->names());
    }

    #[Test]
    public function the_landed_table_is_what_treatment_makes_of_the_source(): void
    {
        $said = ['columns' => [['from' => 'load_id', 'as' => 'load', 'steps' => [['convert' => 'text']]], ['from' => 'ticket', 'drop' => true], ['as' => 'month', 'steps' => [['derive' => 'month_of(day)']]]], 'order' => ['month'], 'failing' => 'stop'];
        $definition = self::make(treatment: Treatment::fromArray($said));
        $landed = $definition->landedTable();
        self::assertSame(['month date', 'load text', 'day date', 'updated_at timestamptz'], array_map(static fn (Column $c): string => "{$c->name} {$c->type}", $landed->shape->columns));
        self::assertSame([['load'], ['load'], ['delivered_at', 'source_position']], [$landed->key, $landed->rowKey(), array_keys($landed->technical())]);
        self::assertSame(['load_id', 'ticket', 'day', 'updated_at'], $definition->carried()->names());
        self::assertEquals($definition->toArray(), FeedDefinition::fromArray($definition->toArray())->toArray());
        self::assertEquals($said, $definition->toArray()['treatment']);
        self::assertArrayNotHasKey('treatment', self::make()->toArray());
    }

    #[Test]
    public function a_reload_that_appends_may_do_without_its_key(): void
    {
        $definition = self::make(capture: Capture::Reload, watermark: null, landing: Landing::Append, treatment: Treatment::fromArray(['columns' => [['from' => 'load_id', 'steps' => [['mask' => 'null']]]], 'failing' => 'drop']));
        self::assertSame([], $definition->landedTable()->key);
    }
}
