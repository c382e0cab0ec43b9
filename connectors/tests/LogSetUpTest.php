<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Postgres\Log\PostgresLog;
use Lighterman\Connectors\Postgres\Log\SlotBook;
use Lighterman\Core\Capture\Log\Commit;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;

final class LogSetUpTest extends LogCase
{
    /**
     * @param  list<Finding>  $findings
     * @return array<string, string> remedy by subject
     */
    private static function failed(array $findings): array
    {
        $failed = array_filter($findings, static fn (Finding $f): bool => $f->result === 'failed');

        return array_combine(array_map(static fn (Finding $f): string => $f->subject, $failed), array_map(static fn (Finding $f): string => (string) $f->remedy, $failed));
    }

    /** @return list<LoggedRow> rows changed since the last reading */
    private function rows(): array
    {
        return array_values(array_filter($this->read(), static fn (object $m): bool => $m instanceof LoggedRow));
    }

    #[Test]
    public function what_is_missing_is_said_with_the_statement_that_helps(): void
    {
        $user = 'r'.bin2hex(random_bytes(4));
        $this->gate->run("CREATE TABLE loads (id int PRIMARY KEY); CREATE TABLE heap (a int); CREATE ROLE {$user} LOGIN PASSWORD 'x'; GRANT SELECT ON ALL TABLES IN SCHEMA public TO {$user}");
        $log = new PostgresLog($this->settings('weighbridge', $this->database('gate'), $user, 'x'), 'lighterman_limited', 'lighterman_limited');
        $failed = self::failed($log->check([new TableName('public', 'loads'), new TableName('public', 'heap'), new TableName('public', 'gone')]));
        self::assertSame("ALTER ROLE \"{$user}\" REPLICATION;", $failed['Replication']);
        self::assertStringStartsWith('CREATE PUBLICATION "lighterman_limited" FOR TABLE "public"."loads", "public"."heap"', $failed['Publication']);
        self::assertStringContainsString('ALTER TABLE "public"."heap" REPLICA IDENTITY FULL;', $failed['public.heap']);
        self::assertArrayHasKey('public.gone', $failed);
        self::assertArrayNotHasKey('public.loads', $failed);
        try {
            $log->ensure([new TableName('public', 'loads')], true);
            self::fail('it was set up');
        } catch (SystemTrouble $trouble) {
            self::assertFalse($trouble->mayPass());
            self::assertStringContainsString('ALTER ROLE', $trouble->remedy()->said);
        }
        self::assertNull($this->gate->value("SELECT 1 FROM pg_publication WHERE pubname = 'lighterman_limited'"), 'nothing half done');
        $this->gate->run("DROP OWNED BY {$user}; DROP ROLE {$user}");
    }

    #[Test]
    public function following_the_statements_leads_to_a_log_that_can_be_read(): void
    {
        $user = 'r'.bin2hex(random_bytes(4));
        $this->gate->run("CREATE TABLE loads (id int PRIMARY KEY, b text); CREATE ROLE {$user} LOGIN PASSWORD 'x'; GRANT SELECT ON ALL TABLES IN SCHEMA public TO {$user}");
        $this->log = new PostgresLog($this->settings('weighbridge', $this->database('gate'), $user, 'x'), 'lighterman_'.$user, 'lighterman_test');
        foreach (self::failed($this->log->check([new TableName('public', 'loads')])) as $remedy) {
            $this->gate->run(strtok($remedy, ';') ?: '');
        }
        $this->log->ensure([new TableName('public', 'loads')], true);
        $this->gate->run("INSERT INTO loads VALUES (1, 'a')");
        self::assertCount(1, $this->rows());
        $this->reader?->close();
        $this->reader = null;
        $this->log->remove();
        $this->log = new PostgresLog($this->settings('weighbridge', $this->database('gate')), 'lighterman_none', 'lighterman_test');
        $this->gate->run('DROP PUBLICATION lighterman_test');
        $this->gate->run("DROP OWNED BY {$user}; DROP ROLE {$user}");
    }

    #[Test]
    public function tables_come_and_go_while_the_log_is_read(): void
    {
        $this->gate->run('CREATE TABLE one (id int PRIMARY KEY); CREATE TABLE two (id int PRIMARY KEY)');
        $this->log->ensure([new TableName('public', 'one')], true);
        $this->gate->run('INSERT INTO one VALUES (1); INSERT INTO two VALUES (1)');
        self::assertCount(1, $this->rows());
        $this->log->ensure([new TableName('public', 'one'), new TableName('public', 'two')], true);
        $this->gate->run('INSERT INTO two VALUES (2)');
        self::assertCount(1, $this->rows());
        $this->log->leave([new TableName('public', 'one')]);
        $this->gate->run('INSERT INTO one VALUES (2)');
        self::assertSame([], $this->rows());
    }

    #[Test]
    public function what_is_not_confirmed_is_sent_again_and_what_is_confirmed_is_not(): void
    {
        $this->gate->run('CREATE TABLE one (id int PRIMARY KEY)');
        $this->log->ensure([new TableName('public', 'one')], true);
        $this->gate->run('INSERT INTO one VALUES (1)');
        $first = $this->read();
        $this->reader?->close();
        $this->reader = null;
        self::assertEquals($first, array_slice($this->read(), 0, count($first)), 'nothing was confirmed');
        self::assertInstanceOf(Commit::class, $first[2]);
        $this->reader?->confirm($first[2]->end);
        $this->reader?->close();
        $this->reader = null;
        self::assertSame([], $this->rows());
    }

    #[Test]
    public function a_dropped_slot_and_one_that_nobody_knows_are_told(): void
    {
        $this->log->ensure([], true);
        $book = new SlotBook($this->settings('weighbridge', $this->database('gate')));
        self::assertSame(['lighterman_'.$this->database('gate')], array_column($book->all(), 'name'));
        $book->drop('lighterman_'.$this->database('gate'));
        self::assertSame([], $book->all());
        foreach ([fn () => $this->log->open(null), fn () => $this->log->ensure([], false)] as $use) {
            try {
                $use();
                self::fail('it was used');
            } catch (SystemTrouble $trouble) {
                self::assertSame('slot_gone', $trouble->reason->value);
            }
        }
        self::assertSame([], $book->all(), 'no new slot takes its place unasked');
    }

    #[Test]
    public function a_chunk_names_the_transactions_its_snapshot_could_not_see(): void
    {
        $this->gate->run('CREATE TABLE one (id int PRIMARY KEY, b text); INSERT INTO one SELECT g, g::text FROM generate_series(1, 10) g');
        $this->log->ensure([new TableName('public', 'one')], true);
        $feed = $this->logFeed('public.one', ['id']);
        $this->gate->begin();
        $this->gate->run("UPDATE one SET b = 'late' WHERE id = 3");
        $xid = (int) $this->gate->value('SELECT pg_current_xact_id()::text::bigint & 4294967295');
        $chunk = $this->log->chunk($feed, Slice::range(['2'], ['5']), 100);
        $this->gate->commit();
        self::assertSame([['3', '3'], ['4', '4'], ['5', '5']], $chunk->rows);
        self::assertTrue($chunk->last);
        self::assertFalse($chunk->saw($xid));
        self::assertTrue($this->log->chunk($feed, Slice::whole(), 4)->saw($xid), 'a later snapshot sees it');
        self::assertFalse($this->log->chunk($feed, Slice::whole(), 4)->last);
    }
}
