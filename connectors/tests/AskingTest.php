<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Postgres\Asking\AskingRole;
use Lighterman\Connectors\Postgres\Asking\PostgresAsker;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Port\QueryResult;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

/** People's queries read landed tables and do nothing else, whatever they are. */
final class AskingTest extends PostgresCase
{
    private const SECRET = 'an invented-password';

    private string $role;

    protected function setUp(): void
    {
        parent::setUp();
        $this->role = 'asker_'.bin2hex(random_bytes(4));
        AskingRole::make($this->lands(), $this->role, self::SECRET);
        $this->house->run("CREATE SCHEMA copy; CREATE TABLE copy.loads (id int PRIMARY KEY, kg numeric, at timestamptz); INSERT INTO copy.loads SELECT g, g, now() FROM generate_series(1, 30) g; CREATE TABLE copy.secrets (bank text); INSERT INTO copy.secrets VALUES ('XX00 1234'); CREATE SEQUENCE copy.counter");
    }

    protected function tearDown(): void
    {
        $this->house->run("REASSIGN OWNED BY \"{$this->role}\" TO CURRENT_USER; DROP OWNED BY \"{$this->role}\"; DROP ROLE \"{$this->role}\"");
        parent::tearDown();
    }

    private function lands(): PostgresSettings
    {
        return $this->settings('warehouse', $this->database('house'), 'lighterman', (string) getenv('LIGHTERMAN_TEST_PG_PASSWORD'));
    }

    private function asks(): PostgresSettings
    {
        return $this->settings('warehouse', $this->database('house'), $this->role, self::SECRET);
    }

    private function ask(string $sql, string ...$more): QueryResult
    {
        return (new PostgresAsker($this->lands(), $this->asks(), [new TableName('copy', 'loads'), ...array_map(static fn (string $t): TableName => new TableName('copy', $t), $more)]))->query($sql, 10, 5);
    }

    #[Test]
    public function a_query_reads_one_statement_within_its_limits(): void
    {
        $result = $this->ask('SELECT id, id::text AS said, 1 AS said FROM copy.loads ORDER BY id; ');
        self::assertSame([10, true], [count($result->rows), $result->cut]);
        self::assertSame([true, false, true], array_column($result->columns, 'numeric'));
        foreach (["WITH big AS MATERIALIZED (SELECT * FROM copy.loads WHERE kg > 20) SELECT count(*), sum(kg) FILTER (WHERE id % 2 = 0), string_agg(id::text, ',' ORDER BY id DESC) FROM big -- so many", 'VALUES (1, 2)', 'TABLE copy.loads', 'SELECT random() > 2, clock_timestamp() IS NULL, gen_random_uuid() IS NULL', "SELECT date_trunc('day', at), rank() OVER (ORDER BY kg), now(), jsonb_build_object('a', kg) ->> 'a', kg BETWEEN 1 AND 2, (SELECT max(id) FROM copy.loads) FROM copy.loads TABLESAMPLE BERNOULLI (50)", 'SELECT * FROM generate_series(1, 3) g JOIN LATERAL (SELECT * FROM copy.loads l WHERE l.id = g) x ON true', '/* ) */ SELECT \') --\' AS t', "SELECT *\nFROM \"copy\".\"loads\"\nLIMIT 50"] as $fine) {
            self::assertNotEmpty($this->ask($fine)->rows, $fine);
        }
        $this->expectExceptionMessageMatches('/statement timeout/');
        (new PostgresAsker($this->lands(), $this->asks(), []))->query('SELECT count(*) FROM generate_series(1, 100000000) a, generate_series(1, 1000) b', 10, 1);
    }

    #[Test]
    #[TestWith(['SELECT pg_sleep(9)', 'may have an effect'])]
    #[TestWith(['SELECT "pg_sleep"(9) FROM copy.loads', 'may have an effect'])]
    #[TestWith(['SELECT pg_terminate_backend(pid, 3000) FROM (SELECT 1 AS pid) x', 'may have an effect'])]
    #[TestWith(["SELECT pg_drop_replication_slot('x')", 'may have an effect'])]
    #[TestWith(["SELECT pg_create_logical_replication_slot('x', 'pgoutput')", 'may have an effect'])]
    #[TestWith(["SELECT pg_logical_emit_message(false, 'x', 'y')", 'may have an effect'])]
    #[TestWith(['SELECT pg_catalog.pg_advisory_lock(1)', 'may have an effect'])]
    #[TestWith(["SELECT 1 ORDER BY set_config('transaction_read_only', 'off', false)", 'may have an effect'])]
    #[TestWith(["SELECT nextval('copy.counter')", 'may have an effect'])]
    #[TestWith(['SELECT count(*) FILTER (WHERE pg_try_advisory_lock(2)) OVER (ORDER BY lo_create(0)) FROM copy.loads', 'may have an effect'])]
    #[TestWith(["SELECT query_to_xml('SELECT pg_sleep(9)', true, true, '')", 'may have an effect'])]
    #[TestWith(["SELECT * FROM pg_ls_dir('.')", 'may have an effect'])]
    #[TestWith(["SELECT x FROM copy.loads, LATERAL (VALUES (CASE WHEN id = -1 THEN pg_notify('a', 'b')::text END)) v(x)", 'may have an effect'])]
    #[TestWith(['SELECT bank FROM copy.secrets', 'copy.secrets is no landed table'])]
    #[TestWith(['SELECT (SELECT bank FROM copy.secrets LIMIT 1) FROM copy.loads', 'copy.secrets is no landed table'])]
    #[TestWith(['SELECT rolname FROM pg_roles', 'pg_roles is no landed table'])]
    #[TestWith(['SELECT query FROM pg_stat_activity', 'pg_stat_activity is no landed table'])]
    #[TestWith(['SELECT last_value FROM copy.counter', 'copy.counter is no landed table'])]
    #[TestWith(['SELECT * FROM copy.peek', 'copy.peek is no landed table'])]
    #[TestWith(['SELECT copy.wait(9)', 'What copy.wait(integer) does is not known'])]
    #[TestWith(['SELECT 9 OPERATOR(copy.<~>) 9', 'What copy.wait'])]
    #[TestWith(['SELECT copy.last_of(id) FROM copy.loads', 'is not known'])]
    #[TestWith(['DELETE FROM copy.loads', ''])]
    #[TestWith(['SELECT 1; COMMIT; DELETE FROM copy.loads', ''])]
    #[TestWith(['SELECT 1) x; DELETE FROM copy.loads; --', ''])]
    #[TestWith(['SELECT 1) x, (SELECT pg_sleep(9)', 'may have an effect'])]
    #[TestWith(['SELECT 1) x, (SELECT 2', ''])]
    #[TestWith(['WITH d AS (DELETE FROM copy.loads RETURNING *) SELECT * FROM d', ''])]
    #[TestWith(['SELECT * FROM copy.loads FOR UPDATE', ''])]
    #[TestWith(['SELECT * INTO copy.other FROM copy.loads', ''])]
    #[TestWith(['COMMIT', ''])]
    #[TestWith(["COPY copy.loads TO '/tmp/out'", ''])]
    #[TestWith(['EXPLAIN ANALYZE DELETE FROM copy.loads', ''])]
    #[TestWith(['DO $$ BEGIN PERFORM pg_sleep(9); END $$', ''])]
    #[TestWith(['', ''])]
    public function what_has_an_effect_or_reads_anything_else_is_refused(string $sql, string $why): void
    {
        $this->house->run("CREATE VIEW copy.peek AS SELECT * FROM copy.secrets; CREATE FUNCTION copy.wait(int) RETURNS int LANGUAGE sql IMMUTABLE AS 'SELECT 1'; CREATE FUNCTION copy.wait(a int, b int) RETURNS int LANGUAGE sql AS 'SELECT 1'; CREATE OPERATOR copy.<~> (LEFTARG = int, RIGHTARG = int, FUNCTION = copy.wait); CREATE FUNCTION copy.later(int, int) RETURNS int LANGUAGE sql AS 'SELECT \$2'; CREATE AGGREGATE copy.last_of(int) (SFUNC = copy.later, STYPE = int)");
        $started = microtime(true);
        try {
            $result = $this->ask($sql);
            self::fail("{$sql} gave ".json_encode($result->rows));
        } catch (SystemTrouble $refused) {
            self::assertStringContainsString($why, $refused->getMessage());
            self::assertNotSame('', $refused->remedy()->said);
            self::assertStringNotContainsString('XX00', $refused->getMessage());
        }
        self::assertLessThan(5, microtime(true) - $started);
        self::assertSame(['30', '1', '0'], [$this->house->value('SELECT count(*) FROM copy.loads'), $this->house->value('SELECT last_value FROM copy.counter'), $this->house->value("SELECT count(*) FROM pg_locks WHERE locktype = 'advisory'")]);
    }

    #[Test]
    public function only_what_has_landed_may_be_read_and_no_longer_than_it_is_landed(): void
    {
        self::assertSame([['XX00 1234']], $this->ask('SELECT bank FROM copy.secrets', 'secrets')->rows);
        $this->ask('SELECT 1');
        self::assertSame(['t', 'f'], [$this->house->value("SELECT has_table_privilege('{$this->role}', 'copy.loads', 'SELECT')"), $this->house->value("SELECT has_table_privilege('{$this->role}', 'copy.secrets', 'SELECT')")], 'what is landed no more is taken from it');
    }

    #[Test]
    public function an_account_that_may_do_more_is_found_out_with_what_puts_it_right(): void
    {
        $lands = 'lighterman';
        $failed = fn (): array => array_values(array_filter(AskingRole::check($this->asks(), $lands), static fn (Finding $f): bool => $f->result === 'failed'));
        self::assertSame([], $failed());
        $this->house->run("ALTER ROLE {$this->role} CREATEDB BYPASSRLS; GRANT pg_signal_backend TO {$this->role}; GRANT USAGE, CREATE ON SCHEMA copy TO {$this->role}; GRANT UPDATE ON copy.loads TO PUBLIC; CREATE TABLE copy.own (id int); ALTER TABLE copy.own OWNER TO {$this->role}");
        $found = $failed();
        self::assertSame(['Attributes', 'Memberships', 'Owner', 'Writing', 'Making'], array_map(static fn (Finding $f): string => $f->subject, $found));
        self::assertStringContainsString('CREATEDB, BYPASSRLS', $found[0]->said);
        foreach ([$found[0], $found[1], $found[4], $found[2], $found[3]] as $finding) {
            $this->house->run((string) $finding->remedy);
        }
        self::assertSame([], $failed());
        self::assertSame('Account', AskingRole::check($this->lands(), $lands)[array_key_last(AskingRole::check($this->lands(), $lands))]->subject);
        self::assertStringNotContainsString(self::SECRET, implode(' ', AskingRole::statements('warehouse', $this->role)));
    }
}
