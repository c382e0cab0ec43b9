<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Capture;

use Lighterman\Core\Capture\Advice;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\ColumnFacts;
use Lighterman\Core\Capture\KeyFacts;
use Lighterman\Core\Capture\Outrun;
use Lighterman\Core\Capture\RowCount;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class AdviceTest extends TestCase
{
    /** @param  list<ColumnFacts>  $columns */
    private static function facts(array $columns, int $rows = 60_000, int $updates = 0, array $key = ['load_id'], ?array $duplicate = null, array $nullable = []): TableFacts
    {
        $shape = new Shape([...array_map(static fn (ColumnFacts $f): Column => $f->column, $columns), new Column('ticket', Type::of(TypeKind::Text))], ['load_id']);

        return new TableFacts(new TableName('public', 'loads'), $shape, new RowCount($rows, true, 10_000, $updates), array_combine(array_map(static fn (ColumnFacts $f): string => $f->column->name, $columns), $columns), new KeyFacts($key, $duplicate, $nullable));
    }

    private static function column(string $name, TypeKind $kind, mixed ...$facts): ColumnFacts
    {
        return new ColumnFacts(new Column($name, Type::of($kind), nullable: ($facts['nulls'] ?? 0) > 0), ...['nulls' => 0, 'indexed' => true, ...$facts]);
    }

    #[Test]
    public function text_is_refused_because_it_sorts_otherwise(): void
    {
        $verdict = (new Advice(self::facts([self::column('load_id', TypeKind::Int64)])))->watermark('ticket');
        self::assertSame('refused', $verdict->result);
        self::assertStringContainsString('"9" comes after "10"', $verdict->reasons[0]);
    }

    #[Test]
    public function rows_without_a_value_are_counted(): void
    {
        $verdict = (new Advice(self::facts([self::column('updated_at', TypeKind::TimestampTz, nulls: 12)])))->watermark('updated_at');
        self::assertSame(['12 rows without updated_at would never be carried.'], $verdict->reasons);
    }

    #[Test]
    public function a_missing_index_is_priced(): void
    {
        $verdict = (new Advice(self::facts([self::column('updated_at', TypeKind::TimestampTz, indexed: false)])))->watermark('updated_at');
        self::assertSame('warned', $verdict->result);
        self::assertStringContainsString("every run would read all 60\u{202F}000 rows", $verdict->reasons[0]);
    }

    #[Test]
    public function a_number_given_at_insert_misses_updates_only_where_there_are_some(): void
    {
        $column = self::column('load_id', TypeKind::Int64, unique: true, insertOnly: true);
        self::assertSame('fine', (new Advice(self::facts([$column])))->watermark('load_id')->result);
        self::assertStringContainsString('updates would be missed', (new Advice(self::facts([$column], updates: 800)))->watermark('load_id')->reasons[0]);
    }

    #[Test]
    public function a_moment_that_another_outruns_is_named_with_the_other(): void
    {
        $arrived = self::column('arrived_at', TypeKind::TimestampTz, outrun: new Outrun(412, 'updated_at'));
        self::assertStringContainsString('in 412 of 10000 rows looked at, updated_at is later', (new Advice(self::facts([$arrived])))->watermark('arrived_at')->reasons[0]);
    }

    #[Test]
    public function values_in_the_future_and_reserved_numbers_are_said(): void
    {
        $advice = new Advice(self::facts([self::column('updated_at', TypeKind::TimestampTz, ahead: 3), self::column('load_id', TypeKind::Int64, sequenceCache: 20)]));
        self::assertStringContainsString('3 rows have updated_at in the future', $advice->watermark('updated_at')->reasons[0]);
        self::assertStringContainsString('reserve 20 values', $advice->watermark('load_id')->reasons[0]);
    }

    #[Test]
    public function half_a_key_is_refused_with_the_duplicate(): void
    {
        $verdict = (new Advice(self::facts([], duplicate: ['load_id' => '7'])))->key();
        self::assertSame('refused', $verdict->result);
        self::assertStringContainsString('more than one row has load_id = 7', $verdict->reasons[0]);
    }

    #[Test]
    public function a_key_with_nulls_is_refused(): void
    {
        self::assertSame('refused', (new Advice(self::facts([], key: ['ticket'], nullable: ['ticket'])))->key()->result);
    }

    #[Test]
    public function the_moment_that_moves_is_suggested_over_the_one_that_does_not(): void
    {
        $suggestion = (new Advice(self::facts([
            self::column('arrived_at', TypeKind::TimestampTz, outrun: new Outrun(9000, 'updated_at')),
            self::column('load_id', TypeKind::Int64, insertOnly: true, unique: true),
            self::column('updated_at', TypeKind::TimestampTz),
        ], updates: 4000)))->suggestion();

        self::assertSame([Capture::Watermark, 'updated_at', Landing::Upsert], [$suggestion->capture, $suggestion->watermark, $suggestion->landing]);
    }

    #[Test]
    public function a_table_that_only_grows_is_appended_by_its_number(): void
    {
        $suggestion = (new Advice(self::facts([self::column('load_id', TypeKind::Int64, insertOnly: true, unique: true)])))->suggestion();
        self::assertSame(['load_id', Landing::Append], [$suggestion->watermark, $suggestion->landing]);
    }

    #[Test]
    public function a_small_table_with_nulls_is_reloaded_and_a_large_one_is_not(): void
    {
        $column = self::column('updated_at', TypeKind::TimestampTz, nulls: 7);
        self::assertSame(Capture::Reload, (new Advice(self::facts([$column], rows: 90)))->suggestion()->capture);
        self::assertSame(Capture::Watermark, (new Advice(self::facts([$column], rows: 900_000)))->suggestion()->capture);
    }

    #[Test]
    public function without_a_key_only_a_reload_is_safe(): void
    {
        self::assertSame(Capture::Reload, (new Advice(self::facts([self::column('updated_at', TypeKind::TimestampTz)], key: [])))->suggestion()->capture);
    }
}
