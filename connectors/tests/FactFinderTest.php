<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Postgres\Source\PostgresSource;
use Lighterman\Core\Capture\Advice;
use Lighterman\Core\Port\CatalogueEntry;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;

final class FactFinderTest extends PostgresCase
{
    #[Test]
    public function what_is_found_comes_from_the_table_itself(): void
    {
        $this->gate->run("CREATE TABLE loads (id bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY, ticket text UNIQUE, arrived_at timestamptz NOT NULL, updated_at timestamptz, day date);
            CREATE INDEX ON loads (updated_at);
            INSERT INTO loads (ticket, arrived_at, updated_at, day) SELECT 't' || g, now() - interval '2 days', CASE WHEN g % 10 = 0 THEN NULL WHEN g % 7 = 0 THEN now() - interval '2 days' WHEN g = 1 THEN 'infinity' ELSE now() - interval '1 day' END, current_date FROM generate_series(1, 1000) g; ANALYZE loads");
        $facts = $this->source->facts(TableName::parse('public.loads'));

        self::assertSame([1000, true, ['id']], [$facts->count->rows, $facts->count->counted, $facts->key->columns]);
        self::assertSame(['id', 'arrived_at', 'updated_at', 'day'], array_keys($facts->columns), 'text is no candidate');
        $updated = $facts->columns['updated_at'];
        self::assertSame([100, 1, true, false], [$updated->nulls, $updated->ahead, $updated->indexed, $updated->insertOnly]);
        $arrived = $facts->columns['arrived_at'];
        self::assertSame([0, false, 'updated_at'], [$arrived->nulls, $arrived->indexed, $arrived->outrun?->by]);
        self::assertSame((int) $this->gate->value("SELECT count(*) FROM loads WHERE updated_at > arrived_at + interval '1 second'"), $arrived->outrun?->rows);
        self::assertTrue($facts->columns['id']->insertOnly && $facts->columns['id']->unique && $facts->columns['id']->indexed);
    }

    #[Test]
    public function a_serial_that_reserves_numbers_is_known(): void
    {
        $this->gate->run('CREATE SEQUENCE s CACHE 20; CREATE TABLE t (id bigint PRIMARY KEY DEFAULT nextval(\'s\')); ALTER SEQUENCE s OWNED BY t.id');
        self::assertSame(20, $this->source->facts(TableName::parse('public.t'))->columns['id']->sequenceCache);
    }

    #[Test]
    public function a_partial_or_second_place_index_is_no_index_for_a_watermark(): void
    {
        $this->gate->run('CREATE TABLE t (id int PRIMARY KEY, at timestamptz, at2 timestamptz); CREATE INDEX ON t (id, at); CREATE INDEX ON t (at2) WHERE id > 5');
        $columns = $this->source->facts(TableName::parse('public.t'))->columns;
        self::assertFalse($columns['at']->indexed);
        self::assertFalse($columns['at2']->indexed);
    }

    #[Test]
    public function half_a_key_and_a_key_with_nulls_are_found_out(): void
    {
        $this->gate->run("CREATE TABLE samples (load_id int, no int, code text, PRIMARY KEY (load_id, no)); INSERT INTO samples VALUES (7, 1, 'a'), (7, 2, NULL), (8, 1, 'b')");
        $table = TableName::parse('public.samples');
        self::assertSame(['load_id' => '7'], $this->source->facts($table, ['load_id'])->key->duplicate);
        self::assertSame('refused', (new Advice($this->source->facts($table, ['load_id'])))->key()->result);
        self::assertSame(['code'], $this->source->facts($table, ['code'])->key->nullable);
        self::assertNull($this->source->facts($table, ['no', 'load_id'])->key->duplicate);
        self::assertSame('fine', (new Advice($this->source->facts($table)))->key()->result);
    }

    #[Test]
    public function views_and_empty_tables_can_be_looked_at_too(): void
    {
        $this->gate->run('CREATE TABLE t (id int PRIMARY KEY, at timestamptz, changed timestamptz); CREATE VIEW v AS SELECT * FROM t');
        self::assertSame(0, $this->source->facts(TableName::parse('public.t'))->count->rows);
        $view = $this->source->facts(TableName::parse('public.v'));
        self::assertSame([0, []], [$view->count->rows, $view->key->columns]);
        self::assertSame('warned', (new Advice($view))->key()->result);
    }

    #[Test]
    public function tables_that_others_find_odd_are_looked_at(): void
    {
        $moments = implode(', ', array_map(static fn (int $n): string => "t{$n} timestamptz", range(1, 42)));
        $this->gate->run("CREATE TABLE many (id int PRIMARY KEY, {$moments}); INSERT INTO many SELECT g, ".implode(', ', array_map(static fn (int $n): string => "now() - interval '{$n} hours'", range(1, 42)))." FROM generate_series(1, 50) g; ANALYZE many;
            CREATE TABLE far (id int PRIMARY KEY, at timestamp, day date); INSERT INTO far VALUES (1, '294276-12-31 23:59:59', '5874897-12-31'); CREATE TABLE bare (); CREATE TABLE held (id int PRIMARY KEY, o oid, r regclass, v int2vector)");
        $facts = $this->source->facts(TableName::parse('public.many'));
        self::assertCount(43, $facts->columns);
        self::assertSame(['t1'], array_values(array_unique(array_filter(array_map(static fn ($c): ?string => $c->outrun?->by, $facts->columns)))), 'all are compared with the one that runs ahead');
        self::assertSame(1, $this->source->facts(TableName::parse('public.far'))->count->rows);
        self::assertSame(['id', 'o', 'r', 'v'], $this->source->shape(TableName::parse('public.held'))->names());
        try {
            $this->source->shape(TableName::parse('public.bare'));
            self::fail('It has nothing to carry.');
        } catch (SystemTrouble $trouble) {
            self::assertSame(['no_columns', false], [$trouble->reason->value, $trouble->mayPass()]);
        }
    }

    #[Test]
    public function the_catalogue_lists_what_may_be_read_with_keys_in_their_order(): void
    {
        $role = 'narrow'.bin2hex(random_bytes(3));
        $this->gate->run("CREATE SCHEMA yard; CREATE TABLE yard.\"Odd name\" (b int, a int, changed_at timestamptz, PRIMARY KEY (b, a)); COMMENT ON TABLE yard.\"Odd name\" IS 'what is odd';
            CREATE TABLE hidden (id int PRIMARY KEY); CREATE TABLE parted (id int, at date) PARTITION BY RANGE (at); CREATE TABLE parted_1 PARTITION OF parted FOR VALUES FROM ('2026-01-01') TO ('2027-01-01');
            CREATE ROLE {$role} LOGIN PASSWORD '{$role}'; GRANT USAGE ON SCHEMA yard TO {$role}; GRANT SELECT ON yard.\"Odd name\" TO {$role}");
        try {
            $names = static fn (array $all): array => array_map(static fn (CatalogueEntry $e): string => (string) $e->table, $all);
            self::assertSame(['public.hidden', 'public.parted', 'yard.Odd name'], $names($this->source->catalogue()), 'partitions are part of their table');
            $narrow = new PostgresSource($this->settings('weighbridge', $this->database('gate'), $role, $role));
            $seen = $narrow->catalogue();
            self::assertSame(['yard.Odd name'], $names($seen));
            self::assertSame([['b', 'a'], ['changed_at'], 'what is odd'], [$seen[0]->shape->key, $seen[0]->watermarkColumns, $seen[0]->comment]);
        } finally {
            unset($narrow);
            gc_collect_cycles();
            $this->gate->run("DROP OWNED BY {$role}; DROP ROLE {$role}");
        }
    }

    #[Test]
    public function a_sample_shows_the_rows_with_the_greatest_keys(): void
    {
        $this->gate->run('CREATE TABLE t (id int PRIMARY KEY, x text); INSERT INTO t SELECT g, NULL FROM generate_series(1, 80) g');
        $rows = $this->source->sample(TableName::parse('public.t'), 50);
        self::assertCount(50, $rows);
        self::assertSame(['id' => '80', 'x' => null], $rows[0]);
    }

    #[Test]
    public function a_row_is_found_by_key_values_of_any_type(): void
    {
        $this->gate->run("CREATE TYPE kind AS ENUM ('pear', 'apple'); CREATE TABLE t (k kind, d date, n numeric(5,2), x text, PRIMARY KEY (k, d, n)); INSERT INTO t VALUES ('pear', '2026-10-05', 1.50, 'here')");
        $feed = $this->feed('t', null, ['k', 'd', 'n']);
        self::assertSame('here', $this->source->row($feed, ['k' => 'pear', 'd' => '2026-10-05', 'n' => '1.5'])['x'] ?? null);
        self::assertNull($this->source->row($feed, ['k' => 'apple', 'd' => '2026-10-05', 'n' => '1.5']));
        $this->expectExceptionMessage('invalid input syntax for type date');
        $this->source->row($feed, ['k' => 'pear', 'd' => 'never', 'n' => '1']);
    }
}
