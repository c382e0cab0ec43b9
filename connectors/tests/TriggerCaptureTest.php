<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Triggers\PostgresChangeTable;
use Lighterman\Connectors\Triggers\TriggerLog;
use Lighterman\Core\Capture\Log\Begin;
use Lighterman\Core\Capture\Log\Commit;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Mark;
use Lighterman\Core\Capture\Log\Truncated;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Port\LogReader;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;

/** Changes that triggers of a PostgreSQL source write down. */
final class TriggerCaptureTest extends PostgresCase
{
    private PostgresChangeTable $changes;

    private TriggerLog $log;

    private TableName $loads;

    protected function setUp(): void
    {
        parent::setUp();
        $this->changes = new PostgresChangeTable($this->settings('weighbridge', $this->database('gate')), 'test0001');
        $this->log = new TriggerLog('weighbridge', $this->changes);
        $this->loads = new TableName('public', 'loads');
        $this->gate->run('CREATE TABLE loads (id bigint PRIMARY KEY, gross numeric(9,2), note text)');
    }

    /** @return list<string> what comes up to the next look that brings nothing, in words */
    private static function told(LogReader $reader): array
    {
        $said = [];
        while ($message = $reader->next(0)) {
            $said[] = match (true) {
                $message instanceof Begin => 'begin',
                $message instanceof Commit => 'commit',
                $message instanceof Mark => $message->content,
                $message instanceof Truncated => 'truncate',
                $message instanceof LoggedRow => $message->operation.' '.json_encode($message->before).' '.json_encode($message->after),
                default => null,
            };
        }

        return array_values(array_filter($said));
    }

    private function begin(): LogReader
    {
        return $this->log->open($this->log->ensure([$this->loads], true));
    }

    /** Looks once, whatever was looked at just before. @return list<string> */
    private function look(LogReader $reader): array
    {
        $this->log->mark('looked', after: true);

        return array_slice(self::told($reader), 0, -3);
    }

    private function other(): Connection
    {
        return new Connection($this->settings('weighbridge', $this->database('gate')), 'other', readOnly: false);
    }

    #[Test]
    public function inserts_updates_deletes_and_truncates_come_with_the_rows_before_and_after(): void
    {
        $reader = $this->begin();
        $this->gate->run("INSERT INTO loads VALUES (1, 10.50, E'a,\"b\\\\c\n(d)'), (2, NULL, '')");
        $this->gate->run('BEGIN; UPDATE loads SET id = 3 WHERE id = 2; DELETE FROM loads WHERE id = 1; COMMIT');
        $this->gate->run('TRUNCATE loads');

        self::assertSame([
            'begin', 'insert null '.json_encode(['1', '10.50', "a,\"b\\c\n(d)"]), 'insert null ["2",null,""]', 'commit',
            'begin', 'update ["2",null,""] ["3",null,""]', 'delete '.json_encode(['1', '10.50', "a,\"b\\c\n(d)"]).' null', 'commit',
            'begin', 'truncate', 'commit',
        ], $this->look($reader));
    }

    #[Test]
    public function a_transaction_that_is_still_open_is_not_passed_over_however_early_its_changes_were(): void
    {
        $reader = $this->begin();
        $late = $this->other();
        $late->run('BEGIN; INSERT INTO loads VALUES (1)');
        $this->gate->run('INSERT INTO loads VALUES (2)');
        self::assertSame(['begin', 'insert null ["2",null,null]', 'commit'], $this->look($reader));
        $this->gate->run('INSERT INTO loads VALUES (3)');
        self::assertSame(['begin', 'insert null ["3",null,null]', 'commit'], $this->look($reader));
        $late->run('COMMIT');
        self::assertSame(['begin', 'insert null ["1",null,null]', 'commit'], $this->look($reader));
        $late->close();
    }

    #[Test]
    public function of_two_transactions_that_changed_one_row_the_one_that_committed_first_comes_first(): void
    {
        $this->gate->run('INSERT INTO loads VALUES (1, 0), (2, 0)');
        $reader = $this->begin();
        $older = $this->other();
        // It begins first and so has the smaller number, but changes the row only after the other has committed.
        $older->run('BEGIN; UPDATE loads SET gross = 1 WHERE id = 2');
        $this->gate->run('UPDATE loads SET gross = 5 WHERE id = 1');
        $older->run('UPDATE loads SET gross = 6 WHERE id = 1; COMMIT');

        self::assertSame([
            'begin', 'update ["1","0.00",null] ["1","5.00",null]', 'commit',
            'begin', 'update ["2","0.00",null] ["2","1.00",null]', 'update ["1","5.00",null] ["1","6.00",null]', 'commit',
        ], $this->look($reader));
        $older->close();
    }

    #[Test]
    public function what_is_rolled_back_leaves_nothing(): void
    {
        $reader = $this->begin();
        $this->gate->run('BEGIN; INSERT INTO loads VALUES (1); ROLLBACK');
        $this->gate->run('BEGIN; INSERT INTO loads VALUES (2); SAVEPOINT s; INSERT INTO loads VALUES (3); ROLLBACK TO s; COMMIT');

        self::assertSame(['begin', 'insert null ["2",null,null]', 'commit'], $this->look($reader));
    }

    #[Test]
    public function reading_goes_on_after_a_crash_with_the_first_transaction_that_had_not_landed(): void
    {
        $reader = $this->begin();
        foreach ([1, 2, 3] as $id) {
            $this->gate->run("INSERT INTO loads VALUES ({$id})");
        }
        $landed = null;
        for ($commits = 0; $commits < 2;) {
            $message = $reader->next(500);
            if ($message instanceof Commit) {
                $commits++;
                $landed = $message->end;
            }
        }
        $reader->close();
        $this->gate->run('INSERT INTO loads VALUES (4)');
        $again = (new TriggerLog('weighbridge', $this->changes))->open($landed);

        self::assertSame(['begin', 'insert null ["3",null,null]', 'commit', 'begin', 'insert null ["4",null,null]', 'commit'], self::told($again));
    }

    #[Test]
    public function what_was_confirmed_is_removed_and_what_was_not_stays(): void
    {
        $reader = $this->begin();
        $late = $this->other();
        $late->run('BEGIN; INSERT INTO loads VALUES (1)');
        $this->gate->run('INSERT INTO loads VALUES (2)');
        $this->look($reader);
        $this->log->mark('end', after: true);
        do {
            $end = $reader->next(500);
        } while (! $end instanceof Commit);
        $late->run('COMMIT');
        $reader->confirm($end->end);

        self::assertSame(['(1,,)'], array_column($this->gate->rows('SELECT row_after FROM lighterman.changes_test0001'), 'row_after'));
        $again = (new TriggerLog('weighbridge', $this->changes))->open($end->end);
        self::assertSame(['begin', 'insert null ["1",null,null]', 'commit'], self::told($again));
        $late->close();
    }

    #[Test]
    public function a_mark_that_opens_comes_before_what_is_committed_after_it_and_one_that_closes_after_what_was_before(): void
    {
        $reader = $this->begin();
        $this->gate->run('INSERT INTO loads VALUES (1)');
        self::assertContains('insert null ["1",null,null]', $this->look($reader));
        $this->log->mark('low', after: false);
        $this->gate->run('INSERT INTO loads VALUES (2)');
        $this->log->mark('high', after: true);
        $this->gate->run('INSERT INTO loads VALUES (3)');

        $said = array_values(array_diff(self::told($reader), ['begin', 'commit']));
        self::assertSame('low', $said[0]);
        self::assertGreaterThan(array_search('insert null ["2",null,null]', $said, true), array_search('high', $said, true));
    }

    #[Test]
    public function the_columns_may_be_altered_without_disturbing_those_who_write(): void
    {
        $reader = $this->begin();
        $this->gate->run("INSERT INTO loads VALUES (1, 1, 'old')");
        $this->gate->run('ALTER TABLE loads DROP COLUMN gross, ADD COLUMN tare int DEFAULT 7');
        $this->gate->run("INSERT INTO loads (id, note) VALUES (2, 'new')");
        $columns = [];
        while ($message = $reader->next(0)) {
            if ($message instanceof LoggedRow) {
                $columns[] = array_combine($message->relation->columns, $message->after ?? []);
            }
        }
        self::assertSame([['id' => '1', 'gross' => '1.00', 'note' => 'old'], ['id' => '2', 'note' => 'new', 'tare' => '7']], $columns);
    }

    #[Test]
    public function values_do_not_depend_on_the_settings_of_whoever_writes(): void
    {
        $this->gate->run('DROP TABLE loads; CREATE TABLE loads (id int PRIMARY KEY, at timestamptz, took interval, image bytea, share float8, crates int[])');
        $reader = $this->begin();
        $this->gate->run("SET DateStyle = 'German, DMY'; SET IntervalStyle = iso_8601; SET bytea_output = 'escape'; SET extra_float_digits = -5; SET TimeZone = 'Asia/Kolkata';
            INSERT INTO loads VALUES (1, '2026-11-02 10:00:00+00', '1 day 2 hours', '\\x00ff', 0.1::float8 + 0.2::float8, '{1,NULL,3}')");

        self::assertSame(['begin', 'insert null ["1","2026-11-02 10:00:00+00","1 day 02:00:00","\\\\x00ff","0.30000000000000004","{1,NULL,3}"]', 'commit'], $this->look($reader));
    }

    #[Test]
    public function missing_and_disabled_triggers_are_noticed_and_made_again(): void
    {
        $this->begin();
        self::assertSame([], $this->log->amiss([$this->loads]));
        $this->gate->run('ALTER TABLE loads DISABLE TRIGGER ALL');
        self::assertSame(['public.loads' => 'a trigger was disabled'], $this->log->amiss([$this->loads]));
        $this->log->ensure([$this->loads], false);
        self::assertSame([], $this->log->amiss([$this->loads]));
        $this->gate->run('DROP TRIGGER lighterman_test0001_truncate ON loads');
        self::assertSame(['public.loads' => 'a trigger was missing'], $this->log->amiss([$this->loads]));
        $this->gate->run('DROP TABLE public.loads; CREATE TABLE public.loads (id bigint PRIMARY KEY)');
        self::assertSame(['public.loads' => 'a trigger was missing'], $this->log->amiss([$this->loads]));
        $this->log->ensure([$this->loads], false);
        self::assertSame([], $this->log->amiss([$this->loads]));
    }

    #[Test]
    public function a_change_table_that_is_gone_is_said_so_and_nothing_is_taken_for_read(): void
    {
        $this->begin();
        $this->gate->run('DROP TABLE lighterman.readings_test0001');
        try {
            $this->log->open(null);
            self::fail('It was opened.');
        } catch (SystemTrouble $trouble) {
            self::assertSame('changes_gone', $trouble->reason->value);
            self::assertFalse($trouble->mayPass());
        }
    }

    #[Test]
    public function an_account_without_the_right_is_told_the_statement_and_with_it_needs_no_more(): void
    {
        $user = 'reader_'.bin2hex(random_bytes(3));
        $this->gate->run("CREATE ROLE {$user} LOGIN PASSWORD 'idle-cider-31'; GRANT SELECT ON loads TO {$user}");
        try {
            $log = new TriggerLog('weighbridge', new PostgresChangeTable($this->settings('weighbridge', $this->database('gate'), $user, 'idle-cider-31'), 'test0002'));
            $remedies = array_map(static fn (Finding $f): ?string => $f->remedy, array_filter($log->check([$this->loads]), static fn (Finding $f): bool => $f->result === 'failed'));
            self::assertSame(["CREATE SCHEMA \"lighterman\" AUTHORIZATION \"{$user}\";", "GRANT TRIGGER ON \"public\".\"loads\" TO \"{$user}\";"], array_values($remedies));
            array_map($this->gate->run(...), $remedies);
            $reader = $log->open($log->ensure([$this->loads], true));
            $this->gate->run('INSERT INTO loads VALUES (1)');
            self::assertContains('insert null ["1",null,null]', self::told($reader));
            // Removing works without owning the table.
            $log->remove();
            self::assertSame('0', $this->gate->value("SELECT count(*) FROM pg_trigger WHERE tgrelid = 'loads'::regclass"));
            self::assertNull($log->state());
        } finally {
            $this->gate->run("DROP OWNED BY {$user} CASCADE; DROP ROLE {$user}");
        }
    }

    #[Test]
    public function triggers_are_not_forced_on_a_table_that_a_transaction_holds(): void
    {
        $other = $this->other();
        $other->run('BEGIN; INSERT INTO loads VALUES (1)');
        try {
            $this->log->ensure([$this->loads], true);
            self::fail('Triggers were made.');
        } catch (SystemTrouble $trouble) {
            self::assertSame('open_transactions', $trouble->reason->value);
            self::assertTrue($trouble->mayPass());
        }
        $other->run('COMMIT');
        $this->log->ensure([$this->loads], true);
        self::assertSame([], $this->log->amiss([$this->loads]));
        $other->close();
    }

    #[Test]
    public function what_would_run_is_shown_and_is_what_runs(): void
    {
        $statements = $this->log->statements([$this->loads]);
        self::assertFalse($this->changes->exists());
        self::assertStringContainsString('CREATE TABLE "lighterman"."changes_test0001"', implode("\n", $statements));
        array_map($this->gate->run(...), $statements);
        self::assertSame([], $this->log->amiss([$this->loads]));
        self::assertSame([], $this->log->statements([$this->loads]));
    }

    #[Test]
    public function a_partitioned_table_is_recorded_under_its_own_name(): void
    {
        $this->gate->run("DROP TABLE loads; CREATE TABLE loads (id bigint, site text, PRIMARY KEY (id, site)) PARTITION BY LIST (site);
            CREATE TABLE loads_a PARTITION OF loads FOR VALUES IN ('a'); CREATE TABLE loads_b (site text NOT NULL, id bigint NOT NULL); ALTER TABLE loads ATTACH PARTITION loads_b FOR VALUES IN ('b')");
        $reader = $this->begin();
        $this->gate->run("INSERT INTO loads VALUES (1, 'a'), (2, 'b')");
        $rows = [];
        while ($message = $reader->next(0)) {
            if ($message instanceof LoggedRow) {
                $rows[] = [(string) $message->relation->table, array_combine($message->relation->columns, $message->after ?? [])];
            }
        }
        self::assertEquals([['public.loads', ['id' => '1', 'site' => 'a']], ['public.loads', ['id' => '2', 'site' => 'b']]], $rows);
    }
}
