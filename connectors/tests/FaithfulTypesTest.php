<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\InvalidDefinition;
use PHPUnit\Framework\Attributes\Test;

final class FaithfulTypesTest extends PostgresCase
{
    private const TABLE = <<<'SQL'
        CREATE TYPE status AS ENUM ('arrived', 'it''s "weighed"');
        CREATE DOMAIN share AS numeric(5,2) CHECK (VALUE >= 0);
        CREATE TABLE "Odd Näme" (
            "select" integer GENERATED ALWAYS AS IDENTITY PRIMARY KEY, "Ünïcode ""col""" text, exact numeric(12,4), anyexact numeric, small smallint, f4 real, f8 double precision,
            flag boolean, d date, t time(3), tz timetz, ts timestamp(3), tstz timestamptz NOT NULL, span interval, u uuid, j json, jb jsonb, raw bytea, s status, dom share,
            fixed char(5), limited varchar(10), ints integer[], texts text[], nums numeric(8,2)[], statuses status[], addr inet, net cidr, rng int4range, tsr tstzrange, bits bit(4), mood money,
            doubled integer GENERATED ALWAYS AS (small * 2) STORED, pt point, big bigint, xmlish xml, vec tsvector, lsn pg_lsn)
        SQL;

    #[Test]
    public function every_value_of_every_type_arrives_as_it_was(): void
    {
        $this->gate->run(self::TABLE);
        $nasty = "tab\there, newline\nthere, return\r, backslash \\ and \\N and \\., quotes ' \" , emoji 🍎, end";
        $into = 'INSERT INTO "Odd Näme" ("Ünïcode ""col""", exact, anyexact, small, f4, f8, flag, d, t, tz, ts, tstz, span, u, j, jb, raw, s, dom, fixed, limited, ints, texts, nums, statuses, addr, net, rng, tsr, bits, mood, pt, big, xmlish, vec, lsn) VALUES ';
        $this->gate->run($into."(\$1, 12345678.1234, 0.000000000000000000000000000001, -32768, 1.1, 0.1, true, '0044-03-15 BC', '23:59:59.999', '12:00+05:30', '1999-12-31 23:59:59.123', '2026-10-25 01:30:00.123456+01', '1 year -2 mons 3 days 04:05:06.789', 'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11', '{\"b\":1, \"b\":2,\"a\": [1]}', '{\"k\":\"v\\t\"}', '\\x00ff5c0a09', 'it''s \"weighed\"', 12.5, 'ab', 'limited', '{{1,2},{3,NULL}}', \$2, '{1.10,NULL}', '{arrived,\"it''s \\\"weighed\\\"\"}', '10.0.0.1/8', '10.0.0.0/8', '[1,5)', '[2026-01-01,)', '1010', 12.34, '(1.5,-2)', 9223372036854775807, '<a>b</a>', 'a:1 b:2', '16/B374D848')", [$nasty, '{"a,b","c\"d","e\\\\f",NULL,"","NULL"}']);
        $this->gate->run($into."('', 'NaN', 'NaN', NULL, 'Infinity', '-Infinity', NULL, 'infinity', '00:00', NULL, '-infinity', 'infinity', NULL, NULL, NULL, NULL, '', NULL, NULL, '', '', '{}', '{}', NULL, NULL, NULL, NULL, 'empty', NULL, NULL, NULL, NULL, -9223372036854775808, NULL, NULL, NULL)");
        $this->gate->run($into."(repeat('long ', 250000), 0, 1e40, 1, 1e-38, 1.7976931348623157e308, false, '5874897-12-31', '24:00', NULL, '4713-01-01 BC', '-infinity', '-178000000 years', NULL, '[]', 'null', decode(repeat('00', 100000), 'hex'), 'arrived', 0, NULL, NULL, NULL, NULL, NULL, NULL, '::1', NULL, NULL, NULL, NULL, NULL, NULL, 0, NULL, NULL, NULL)");
        $feed = $this->feed('public.Odd Näme', null, ['select'], Landing::Replace);

        $this->carry($feed);
        $this->assertCopied($feed);
        $types = 'SELECT string_agg(format_type(atttypid, atttypmod), \', \' ORDER BY attnum) FROM pg_attribute WHERE attnum BETWEEN 1 AND 38 AND attrelid = $1::regclass';
        $expected = str_replace(['status[]', 'status', 'share'], ['text[]', 'text', 'numeric(5,2)'], (string) $this->gate->value($types, ['"Odd Näme"']));
        self::assertSame($expected, $this->house->value($types, ['gate."Odd Näme"']));

        $upsert = $this->feed('public.Odd Näme', null, ['select'], Landing::Upsert, ['landed' => TableName::parse('gate.merged'), 'name' => 'merged']);
        $this->carry($upsert);
        self::assertSame(3, self::total($this->carry($upsert), 'unchanged'), 'equal rows of every type are found equal');
        $this->assertCopied($upsert);
    }

    #[Test]
    public function a_type_that_cannot_be_carried_is_refused_by_name_and_can_be_left_out(): void
    {
        $this->gate->run("CREATE TYPE place AS (e integer, n integer); CREATE TABLE t (id int PRIMARY KEY, spot place); INSERT INTO t VALUES (1, '(1,2)')");
        try {
            $this->feed('t', null, ['id'], Landing::Replace);
            self::fail('It was accepted.');
        } catch (InvalidDefinition $e) {
            self::assertStringContainsString('column spot of public.t is of type place', $e->getMessage());
            self::assertStringContainsString('leave_out: [spot]', $e->remedy()->said);
        }
        $feed = $this->feed('t', null, ['id'], Landing::Replace, ['leaveOut' => ['spot']]);
        $this->carry($feed);
        self::assertSame([['id' => '1']], $this->house->rows('SELECT id FROM gate.t'));
    }

    #[Test]
    public function stamps_say_when_and_from_where(): void
    {
        $this->gate->run("CREATE TABLE t (id int PRIMARY KEY, at timestamptz NOT NULL); INSERT INTO t VALUES (1, now() - interval '1 hour')");
        $receipts = $this->carry($this->feed('t', 'at', ['id']));
        $row = $this->house->row('SELECT delivered_at, source_position FROM gate.t');
        self::assertSame($receipts[0]->landedAt, $row['delivered_at'] ?? null);
        self::assertSame((string) $receipts[0]->to, $row['source_position'] ?? null);
    }
}
