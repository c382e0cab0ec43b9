<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Landing\Truncates;
use Lighterman\Core\Port\FeedRefused;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\TargetSystem;
use Lighterman\Core\Position\LogPlace;
use Lighterman\Core\Position\StreamPosition;
use Lighterman\Core\Record\Arrival;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;

/** What holds wherever changes of a log land. */
abstract class ChangeLandingCase extends LogCase
{
    abstract protected function into(): TargetSystem;

    /** @return list<array<string, string|null>> what a query of the target gives */
    abstract protected function landed(string $sql): array;

    protected function landing(FeedDefinition ...$feeds): LandingSession
    {
        $landing = $this->into()->landing(Holder::route('route', 1));
        foreach ($feeds as $feed) {
            $landing->admit($feed->landedTable(), $feed->name);
        }

        return $landing;
    }

    protected function orders(): void
    {
        $this->gate->run('CREATE TABLE orders (id int PRIMARY KEY, state text, paper text); ALTER TABLE orders ALTER paper SET STORAGE EXTERNAL');
        $this->log->ensure([], true);
        $this->gate->run('ALTER PUBLICATION lighterman_test ADD TABLE orders');
    }

    /** @return iterable<string, array{Deletes, string}> */
    public static function deletes(): iterable
    {
        yield 'applied' => [Deletes::Apply, '1'];
        yield 'marked' => [Deletes::Mark, '1,2*'];
        yield 'ignored' => [Deletes::Ignore, '1,2'];
    }

    #[Test]
    #[DataProvider('deletes')]
    public function deletes_are_applied_marked_or_ignored(Deletes $deletes, string $left): void
    {
        $this->orders();
        $feed = $this->logFeed('public.orders', ['id'], more: ['deletes' => $deletes]);
        $landing = $this->landing($feed);
        $this->gate->run("INSERT INTO orders VALUES (1, 'new'), (2, 'new')");
        self::assertSame(2, $this->land($landing, $feed)->inserted);
        $this->gate->run('DELETE FROM orders WHERE id = 2');
        $receipt = $this->land($landing, $feed);
        $mark = $deletes === Deletes::Mark ? "CASE WHEN deleted_at IS NULL THEN '' ELSE '*' END" : "''";
        self::assertSame($left, $this->landed("SELECT string_agg(id || {$mark}, ',' ORDER BY id) AS ids FROM gate.orders_upsert")[0]['ids']);
        self::assertSame([1, (int) ($deletes !== Deletes::Ignore), (int) ($deletes === Deletes::Ignore)], [$receipt->read, $receipt->deleted, $receipt->unchanged]);
        $this->gate->run("INSERT INTO orders VALUES (2, 'again')");
        $this->land($landing, $feed);
        self::assertSame('again', $this->landed('SELECT state FROM gate.orders_upsert WHERE id = 2'.($deletes === Deletes::Mark ? ' AND deleted_at IS NULL' : ''))[0]['state'], 'a row that comes back is there');
        $landing->close();
    }

    /** @return iterable<string, array{Landing}> */
    public static function landings(): iterable
    {
        yield 'upsert' => [Landing::Upsert];
        yield 'versions' => [Landing::Versions];
    }

    #[Test]
    #[DataProvider('landings')]
    public function large_values_that_were_not_sent_stay_even_where_the_key_moves(Landing $landing): void
    {
        $this->orders();
        $feed = $this->logFeed('public.orders', ['id'], $landing);
        $session = $this->landing($feed);
        $this->gate->run("INSERT INTO orders SELECT g, 'new', repeat(g::text, 5000) FROM generate_series(1, 4) g");
        $this->land($session, $feed);
        $this->gate->run("UPDATE orders SET state = 'paid' WHERE id = 1; UPDATE orders SET id = 12 WHERE id = 2; UPDATE orders SET id = 13 WHERE id = 3; UPDATE orders SET state = 'paid' WHERE id = 13; UPDATE orders SET id = 3 WHERE id = 4");
        $this->land($session, $feed);
        $session->close();
        $current = $landing === Landing::Versions ? ' WHERE is_current' : '';
        self::assertSame($this->gate->rows('SELECT id, state, md5(paper) AS paper FROM orders ORDER BY id'), $this->landed("SELECT id, state, md5(paper) AS paper FROM {$feed->destination->table}{$current} ORDER BY id"));
    }

    /** @return array<string, array{string, list<string>}> a type, and values of it */
    public static function keys(): array
    {
        return [
            'bytes' => ['bytea', ["'\\x00ff5c'", "'\\x61'", "''", "'\\x0a09'"]], 'a list' => ['text[]', ["'{a,b}'", "'{}'", "ARRAY['q\"x', NULL, 'a,b']", "'{NULL}'"]],
            'a date' => ['date', ["'0044-03-15 BC'", "'2024-02-29'", "'9999-12-31'", "'1850-01-01'"]], 'a moment' => ['timestamptz', ["'0044-03-15 12:00:00+00 BC'", "'2026-10-25 01:30:00.123456+01'", "'1970-01-01 00:00+00'", "'1850-01-01 00:00:00.000001+00'"]],
            'a number' => ['numeric(20,4)', ['1.5000', '-0.0001', '0', '9999999999999999.9999']], 'text' => ['text', ["'it''s'", "'a\\b'", "''", "E'tab\\tnew\\nline'"]], 'an object number' => ['oid', ['4294967295', '1', '0', '77']],
        ];
    }

    /** @param  list<string>  $values */
    #[Test]
    #[DataProvider('keys')]
    public function rows_are_found_by_keys_of_every_kind(string $type, array $values): void
    {
        $this->gate->run("CREATE TABLE k (k {$type} PRIMARY KEY, state text, paper text); ALTER TABLE k ALTER paper SET STORAGE EXTERNAL");
        $this->log->ensure([new TableName('public', 'k')], true);
        $feed = $this->logFeed('public.k', ['k'], more: ['name' => 'k']);
        $session = $this->landing($feed);
        $this->gate->run('INSERT INTO k VALUES '.implode(', ', array_map(static fn (string $v, int $n): string => "({$v}, 'new', repeat('{$n}', 5000))", array_slice($values, 0, 3), [1, 2, 3])));
        $this->land($session, $feed);
        $this->gate->run("UPDATE k SET state = 'paid' WHERE k = {$values[0]}; DELETE FROM k WHERE k = {$values[1]}; UPDATE k SET k = {$values[3]} WHERE k = {$values[2]}");
        $this->land($session, $feed);
        $session->close();
        $state = fn (array $rows): array => array_column($rows, 'state', 'paper');
        self::assertEquals($state($this->gate->rows('SELECT state, md5(paper) AS paper FROM k')), $state($this->landed("SELECT state, md5(paper) AS paper FROM {$feed->destination->table}")));
        $row = $this->gate->row("SELECT k::text AS k, state, paper FROM k WHERE k = {$values[3]}");
        self::assertSame($row, array_intersect_key($this->into()->row($feed->destination->table, ['k' => (string) $row['k']]) ?? [], $row ?? []), 'and when somebody looks for one');
    }

    #[Test]
    public function a_journal_says_what_was_before_and_what_was_not_sent(): void
    {
        $this->orders();
        $this->gate->run('ALTER TABLE orders REPLICA IDENTITY FULL');
        $feed = $this->logFeed('public.orders', ['id'], Landing::Append);
        $session = $this->landing($feed);
        $this->gate->run("INSERT INTO orders VALUES (1, 'new', repeat('x', 5000)); UPDATE orders SET state = 'paid'; DELETE FROM orders");
        self::assertSame(3, $this->land($session, $feed)->inserted);
        $session->close();
        self::assertSame([
            ['change_kind' => 'insert', 'state' => 'new', 'was' => null, 'not_sent' => null], ['change_kind' => 'update', 'state' => 'paid', 'was' => 'new', 'not_sent' => 'paper'], ['change_kind' => 'delete', 'state' => 'paid', 'was' => 'paid', 'not_sent' => null],
        ], $this->landed("SELECT change_kind, state, row_before->>'state' AS was, not_sent[1] AS not_sent FROM gate.orders_append ORDER BY source_position"));
        self::assertSame(['paper'], $this->into()->history($feed->landedTable(), ['id' => '1'], 10)->entries[1]->notSent);
    }

    #[Test]
    public function a_truncate_empties_the_copy_ends_every_version_and_is_in_the_journal(): void
    {
        $this->orders();
        foreach ([Landing::Upsert, Landing::Versions, Landing::Append] as $landing) {
            $this->gate->run("INSERT INTO orders VALUES (1, 'a'), (2, 'b')");
            $feed = $this->logFeed('public.orders', ['id'], $landing, ['truncates' => Truncates::Carry]);
            $session = $this->landing($feed);
            $this->land($session, $feed);
            $this->gate->run("INSERT INTO orders VALUES (3, 'c'); TRUNCATE orders; INSERT INTO orders VALUES (2, 'c')");
            $this->land($session, $feed);
            $session->close();
            $this->gate->run('DELETE FROM orders');
            $this->read();
        }
        self::assertSame([['id' => '2', 'state' => 'c']], $this->landed('SELECT id, state FROM gate.orders_upsert'));
        self::assertSame([['id' => '2', 'state' => 'c']], $this->landed('SELECT id, state FROM gate.orders_versions WHERE is_current'));
        self::assertSame([['n' => '3']], $this->landed("SELECT count(*) AS n FROM gate.orders_versions WHERE change_kind = 'delete' AND valid_to = valid_from"));
        self::assertSame([['n' => '1']], $this->landed("SELECT count(*) AS n FROM gate.orders_append WHERE change_kind = 'truncate'"));
    }

    /** Arrival in any order, and twice, gives the same chains as arrival in order. */
    #[Test]
    public function versions_that_come_twice_or_late_join_the_chain_where_they_belong(): void
    {
        $this->gate->run('CREATE TABLE orders (id int PRIMARY KEY, state text)');
        $all = [];
        for ($n = 1; $n <= 9; $n++) {
            $all[] = [$n % 4 === 0 ? new Change('delete', ['1', false], null, 1) : new Change('update', null, ['1', "s{$n}"], 1), new SourceCommit(LogPlace::commitAt($n), $n * 1_000_000)];
        }
        $expected = null;
        foreach ([$all, array_reverse($all), [$all[4], $all[8], $all[0], $all[3], ...$all], [...$all, ...$all]] as $way => $arrival) {
            $feed = $this->logFeed('public.orders', ['id'], Landing::Versions, ['name' => "way {$way}", 'landed' => new TableName('gate', "way{$way}")]);
            $session = $this->landing($feed);
            foreach (array_chunk($arrival, 2) as $some) {
                $plan = self::plan($feed);
                foreach ($some as [$change, $commit]) {
                    $plan->add($change, $commit);
                }
                $session->begin();
                $session->apply($feed->name, $plan);
                $session->commit([new Arrival($feed->name, StreamPosition::at('0/1'))], null, null);
            }
            $session->close();
            $chain = $this->landed("SELECT state, change_kind, extract(epoch FROM valid_from)::int AS since, extract(epoch FROM valid_to)::int AS until, is_current FROM {$feed->destination->table} ORDER BY source_position");
            $expected ??= $chain;
            self::assertSame($expected, $chain);
        }
        self::assertCount(9, (array) $expected);
        self::assertSame(['s9', null, 't'], [$expected[8]['state'] ?? '', $expected[8]['until'] ?? null, $expected[8]['is_current'] ?? '']);
    }

    #[Test]
    public function an_old_fencing_token_cannot_land_anything(): void
    {
        $this->orders();
        $feed = $this->logFeed('public.orders', ['id']);
        $old = $this->landing($feed);
        $new = $this->into()->landing(Holder::route('route', 2));
        $new->close();
        $this->expectException(LeaseLost::class);
        $old->begin();
    }

    #[Test]
    public function nothing_lands_any_more_in_a_table_that_another_feed_has_taken_over(): void
    {
        $this->orders();
        $feed = $this->logFeed('public.orders', ['id']);
        $landing = $this->landing($feed);
        $this->gate->run("INSERT INTO orders VALUES (1, 'new')");
        $this->land($landing, $feed);
        $other = $this->into()->landing(Holder::route('another route', 1));
        $theirs = $this->logFeed('public.orders', ['id'], more: ['takeOver' => true]);
        try {
            $other->admit($this->logFeed('public.orders', ['id'])->landedTable(), 'another');
            self::fail('It was taken in.');
        } catch (SystemTrouble $trouble) {
            self::assertStringContainsString('gate.orders_upsert belongs to another feed', $trouble->getMessage());
        }
        $other->admit($theirs->landedTable(), 'another');
        $this->gate->run("INSERT INTO orders VALUES (2, 'new')");
        try {
            $this->land($landing, $feed);
            self::fail('It landed.');
        } catch (FeedRefused|LeaseLost $refused) {
            $refused instanceof LeaseLost || self::assertStringContainsString('gate.orders_upsert was taken over by another feed', $refused->getMessage());
        }
        $landing->close();
        self::assertSame('1', $this->landed('SELECT count(*) AS n FROM gate.orders_upsert')[0]['n']);
        $again = $this->into()->landing(Holder::route('route', 5));
        try {
            $again->admit($feed->landedTable(), $feed->name);
            self::fail('It was taken in again.');
        } catch (SystemTrouble $trouble) {
            self::assertStringContainsString('gate.orders_upsert was taken over by another feed', $trouble->getMessage());
        } finally {
            $again->close();
            $other->close();
        }
    }

    #[Test]
    public function the_whole_life_of_a_key_can_be_read_back(): void
    {
        $this->orders();
        foreach ([Landing::Versions, Landing::Append] as $landing) {
            $feed = $this->logFeed('public.orders', ['id'], $landing);
            $session = $this->landing($feed);
            $this->gate->run("INSERT INTO orders VALUES (1, 'new'), (2, 'other'); UPDATE orders SET state = 'paid' WHERE id = 1; DELETE FROM orders WHERE id = 1");
            $this->land($session, $feed);
            $session->close();
            $history = $this->into()->history($feed->landedTable(), ['id' => '1'], 10);
            self::assertSame(['insert', 'update', 'delete'], array_map(static fn ($e): string => $e->kind, $history->entries));
            self::assertSame('paid', $history->entries[1]->values['state']);
            self::assertFalse($history->cut);
            self::assertCount(2, $this->into()->history($feed->landedTable(), ['id' => '1'], 2)->entries);
            self::assertTrue($this->into()->history($feed->landedTable(), ['id' => '1'], 2)->cut);
            $this->gate->run('DELETE FROM orders');
            $this->read();
        }
    }
}
