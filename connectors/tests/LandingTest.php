<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Postgres\Landing\PostgresTarget;
use Lighterman\Connectors\Postgres\Source\PostgresSource;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\ReadAgain;
use Lighterman\Core\Position\WatermarkPosition;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;

final class LandingTest extends PostgresCase
{
    private function loads(int $rows = 100): FeedDefinition
    {
        $this->gate->run("CREATE TABLE loads (id int PRIMARY KEY, kg numeric(9,1), updated_at timestamptz NOT NULL); INSERT INTO loads SELECT g, g, now() - interval '1 hour' FROM generate_series(1, {$rows}) g");

        return $this->feed('loads', 'updated_at', ['id']);
    }

    /** @return list<string> */
    private function obstacles(FeedDefinition $feed): array
    {
        return array_map(static fn (Finding $f): string => "{$f->said} {$f->remedy}", $this->target->prepare($feed->landedTable())->obstacles());
    }

    private function assertTrouble(string $reason, string $said, callable $does): void
    {
        try {
            $does();
        } catch (SystemTrouble $e) {
            self::assertSame($reason, $e->reason->value, $e->getMessage());
            self::assertStringContainsString($said, $e->getMessage());

            return;
        }
        self::fail("no {$reason}");
    }

    #[Test]
    public function an_older_token_cannot_commit(): void
    {
        $feed = $this->loads();
        $old = RowDelivery::open($this->target, $feed->landedTable(), Holder::feed('f', 7));
        $reader = $this->source->reader($feed, $this->source->plan($feed, $old->position(), null));
        $batch = $reader->next();
        $newTarget = new PostgresTarget($this->settings('warehouse', $this->database('house')));
        RowDelivery::open($newTarget, $feed->landedTable(), Holder::feed('f', 8))->close();
        try {
            $old->land($batch, 1, SteadyClock::seconds());
            self::fail('The old worker committed.');
        } catch (LeaseLost $e) {
            self::assertStringContainsString('token 8; this worker holds 7', $e->getMessage());
        }
        self::assertSame('0', $this->house->value('SELECT count(*) FROM gate.loads'));
        $this->expectException(LeaseLost::class);
        RowDelivery::open($this->target, $feed->landedTable(), Holder::feed('f', 7));
    }

    #[Test]
    public function receipts_join_end_to_end_and_are_kept_beside_the_rows(): void
    {
        $feed = $this->loads();
        $this->carry($feed);
        for ($i = 0; $i < 3; $i++) {
            $this->gate->run('UPDATE loads SET kg = kg + 1, updated_at = now() WHERE id <= 3');
            $this->settle();
            $this->carry($feed);
        }
        $session = RowDelivery::open($this->target, $feed->landedTable(), Holder::feed('feed-loads', 1));
        $receipts = $session->receiptsAfter(0);
        self::assertCount(4, $receipts);
        foreach ($receipts as $i => $receipt) {
            self::assertSame($i + 1, $receipt->sequence);
            self::assertTrue($i === 0 ? ! $receipt->from->hasBegun() : $receipt->from->equals($receipts[$i - 1]->to));
        }
        self::assertTrue($session->position()->equals(end($receipts)->to));
        self::assertCount(1, $session->receiptsAfter(3));
    }

    #[Test]
    public function keys_that_are_there_already_are_merged_in_a_first_load(): void
    {
        $feed = $this->loads();
        $this->house->run('CREATE SCHEMA gate; CREATE TABLE gate.loads (id int PRIMARY KEY, kg numeric(9,1), updated_at timestamptz, delivered_at timestamptz, source_position text); INSERT INTO gate.loads (id, kg) VALUES (50, -1)');
        self::assertStringContainsString('holds rows that Lighterman did not land', $this->obstacles($feed)[0]);

        $taken = FeedDefinition::fromArray(['take_over' => true] + $feed->toArray());
        self::assertSame([], $this->obstacles($taken));
        $session = RowDelivery::open($this->target, $taken->landedTable(), Holder::feed('f', 1));
        $plan = $this->source->plan($taken, $session->position(), null);
        try {
            $reader = $this->source->reader($taken, $plan);
            while ($batch = $reader->next()) {
                $session->land($batch, 1, SteadyClock::seconds());
            }
            self::fail('The key was not noticed.');
        } catch (ReadAgain) {
            $reader = $this->source->reader($taken, $plan);
            $receipt = $session->land($reader->next(), 1, SteadyClock::seconds());
        }
        self::assertSame([99, 1], [$receipt?->inserted, $receipt?->updated]);
        $this->assertCopied($taken);
    }

    #[Test]
    public function a_table_belongs_to_one_feed_and_is_taken_over_only_where_that_is_asked_for(): void
    {
        $feed = $this->loads();
        $this->carry($feed);
        $named = static fn (string $name, bool $over): FeedDefinition => FeedDefinition::fromArray(['name' => $name, 'take_over' => $over] + $feed->toArray());
        self::assertStringContainsString('gate.loads belongs to another feed (feed-loa, ', $this->obstacles($named('second', false))[0]);
        $this->assertTrouble('incompatible_table', 'belongs to another feed', fn () => $this->carry($named('second', false)));
        self::assertSame([], $this->target->prepare($feed->landedTable(), 'feed-loads')->obstacles());
        $this->house->run('INSERT INTO gate.loads (id, kg, updated_at) VALUES (5000, 1, now())');
        RowDelivery::open($this->target, $named('second', true)->landedTable(), Holder::feed('feed-second', 1))->close();
        self::assertSame('101', $this->house->value('SELECT count(*) FROM gate.loads'), 'rows that were there stay');
        $this->assertTrouble('incompatible_table', 'gate.loads was taken over by another feed (feed-sec', fn () => $this->carry($feed, 2));
        $this->assertTrouble('incompatible_table', 'was taken over', fn () => $this->target->demandKept($feed->landedTable(), 'feed-loads'));
        $this->assertTrouble('incompatible_table', 'was taken over', fn () => $this->carry($named('loads', true), 3));
        self::assertSame(0, $this->target->demandKept($named('second', true)->landedTable(), 'feed-second'));
        $this->target->discard('feed-second');
        $this->house->run('DROP TABLE gate.loads');
        $this->assertTrouble('incompatible_table', 'was taken over by another feed, which is gone', fn () => $this->carry($feed, 4));
    }

    #[Test]
    public function a_key_two_source_rows_share_stops_the_feed_and_is_shown(): void
    {
        $this->gate->run("CREATE TABLE t (id int PRIMARY KEY, code text NOT NULL, at timestamptz NOT NULL); INSERT INTO t VALUES (1, 'a', now() - interval '2 hours')");
        $feed = $this->feed('t', 'at', ['code']);
        $this->carry($feed);
        $this->gate->run("INSERT INTO t VALUES (2, 'x', now()), (3, 'x', now()), (4, 'b', now())");
        $this->settle();
        $this->assertTrouble('duplicate_key', 'more than one row has code = x', fn () => $this->carry($feed));
        self::assertSame('1', $this->house->value('SELECT count(*) FROM gate.t'), 'nothing of the batch was written');
    }

    #[Test]
    public function an_existing_table_is_checked_column_by_column(): void
    {
        $feed = $this->loads();
        $this->house->run('CREATE SCHEMA gate; CREATE TABLE gate.loads (id int, kg numeric(6,1), extra text NOT NULL, updated_at date, delivered_at timestamptz)');
        $said = implode("\n", $this->obstacles($feed));
        self::assertStringContainsString('Column kg of gate.loads is decimal(6,1), which does not hold every decimal(9,1).', $said);
        self::assertStringContainsString('ALTER TABLE "gate"."loads" ALTER COLUMN "kg" TYPE numeric(9,1);', $said);
        self::assertStringContainsString('Column updated_at of gate.loads is date', $said);
        self::assertStringContainsString('gate.loads has no column source_position. ALTER TABLE "gate"."loads" ADD COLUMN "source_position" text;', $said);
        self::assertStringContainsString('Column extra of gate.loads must have a value', $said);
        self::assertStringContainsString('no unique index on (id)', $said);
        $this->assertTrouble('incompatible_table', 'kg', fn () => $this->carry($feed));
        self::assertNull($this->house->value("SELECT to_regclass('lighterman.receipt')"), 'nothing half done');
    }

    #[Test]
    public function a_reload_is_seen_whole_or_not_at_all(): void
    {
        $this->gate->run("CREATE TABLE v (id int PRIMARY KEY, x text); INSERT INTO v SELECT g, repeat('a', 500) FROM generate_series(1, 3000) g");
        $feed = $this->feed('v', null, ['id'], Landing::Replace);
        $this->carry($feed);
        $this->gate->run("TRUNCATE v; INSERT INTO v SELECT g, repeat('b', 500) FROM generate_series(1, 4000) g");

        $session = RowDelivery::open($this->target, $feed->landedTable(), Holder::feed('feed-v', 2));
        $reader = $this->source->reader($feed, $this->source->plan($feed, $session->position(), null));
        $pieces = 0;
        while ($batch = $reader->next()) {
            self::assertSame('3000', $this->house->value("SELECT count(*) FROM gate.v WHERE x LIKE 'a%'"), 'readers see the old rows until the end');
            $session->land($batch, 1, SteadyClock::seconds());
            $pieces++;
        }
        self::assertGreaterThan(2, $pieces);
        self::assertSame('4000', $this->house->value("SELECT count(*) FROM gate.v WHERE x LIKE 'b%'"));
        self::assertSame('1', $this->house->value("SELECT count(*) FROM pg_class WHERE relnamespace = 'gate'::regnamespace AND relkind = 'r'"), 'nothing is left beside it');
    }

    #[Test]
    public function a_reload_that_fails_leaves_the_old_table(): void
    {
        $this->gate->run('CREATE TABLE v (id int PRIMARY KEY, x text); INSERT INTO v SELECT g, g FROM generate_series(1, 50000) g');
        $feed = $this->feed('v', null, ['id'], Landing::Replace);
        $this->carry($feed);
        $session = RowDelivery::open($this->target, $feed->landedTable(), Holder::feed('feed-v', 2));
        $reader = $this->source->reader($feed, $this->source->plan($feed, $session->position(), null));
        $session->land($reader->next(), 1, SteadyClock::seconds());
        $session->close();
        $reader->close();
        self::assertSame('50000', $this->house->value('SELECT count(*) FROM gate.v'));
        self::assertCount(1, RowDelivery::open($this->target, $feed->landedTable(), Holder::feed('feed-v', 3))->receiptsAfter(0));
    }

    #[Test]
    public function views_and_grants_on_a_replaced_table_live_on(): void
    {
        $role = 'reader'.bin2hex(random_bytes(3));
        $this->gate->run('CREATE TABLE v (id int PRIMARY KEY); INSERT INTO v VALUES (1)');
        $feed = $this->feed('v', null, ['id'], Landing::Replace);
        $this->carry($feed);
        $this->house->run("CREATE ROLE {$role}; GRANT SELECT ON gate.v TO {$role}");
        try {
            $this->gate->run('INSERT INTO v VALUES (2)');
            $this->carry($feed);
            self::assertSame('t', $this->house->value("SELECT has_table_privilege('{$role}', 'gate.v', 'SELECT')"), 'after a swap');
            $this->house->run('CREATE VIEW gate.seen AS SELECT * FROM gate.v');
            $this->gate->run('INSERT INTO v VALUES (3)');
            $this->carry($feed);
            self::assertSame('3', $this->house->value('SELECT count(*) FROM gate.seen'));
            self::assertSame('t', $this->house->value("SELECT has_table_privilege('{$role}', 'gate.v', 'SELECT')"), 'after an exchange of rows');
        } finally {
            $this->house->run("DROP OWNED BY {$role}; DROP ROLE {$role}");
        }
    }

    #[Test]
    public function a_connection_lost_in_mid_batch_leaves_nothing_half_done(): void
    {
        $feed = $this->loads(80000);
        $session = RowDelivery::open($this->target, $feed->landedTable(), Holder::feed('feed-loads', 1));
        $reader = $this->source->reader($feed, $this->source->plan($feed, $session->position(), null));
        $session->land($reader->next(), 1, SteadyClock::seconds());
        $this->house->run("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name LIKE 'lighterman lands %' AND datname = current_database()");
        $this->assertTrouble('connection_lost', 'was lost', function () use ($session, $reader): void {
            while ($batch = $reader->next()) {
                $session->land($batch, 1, SteadyClock::seconds());
            }
        });
        $reader->close();
        self::assertSame('0', $this->house->value('SELECT count(*) FROM gate.loads'));
        $this->carry($feed, 2);
        $this->assertCopied($feed);
    }

    #[Test]
    public function a_full_disk_is_named_and_nothing_is_half_done(): void
    {
        $place = sys_get_temp_dir().'/lm-full-'.bin2hex(random_bytes(3));
        $space = 'full'.bin2hex(random_bytes(3));
        mkdir($place);
        exec('mount -t tmpfs -o size=6m,mode=700,uid='.(posix_getpwnam('postgres')['uid'] ?? 0)." tmpfs {$place} 2>/dev/null", result_code: $code);
        if ($code !== 0) {
            rmdir($place);
            self::markTestSkipped('A small file system can only be made as root.');
        }
        try {
            $this->house->run("CREATE TABLESPACE {$space} LOCATION '{$place}'");
            $this->house->run('CREATE SCHEMA gate');
            $feed = $this->loads(300_000);
            $this->house->run("CREATE TABLE gate.loads (id int PRIMARY KEY, kg numeric(9,1), updated_at timestamptz, delivered_at timestamptz, source_position text) TABLESPACE {$space}");
            $this->assertTrouble('disk_full', 'No space left on device', fn () => $this->carry($feed));
            $this->house->run('ALTER TABLE gate.loads SET TABLESPACE pg_default');
            $this->house->run("DROP TABLESPACE {$space}");
            $this->carry($feed);
            $this->assertCopied($feed);
        } finally {
            exec("umount -l {$place}");
            rmdir($place);
        }
    }

    #[Test]
    public function a_source_connection_lost_in_mid_read_is_said_and_nothing_is_half_done(): void
    {
        $feed = $this->loads(400_000);
        $session = RowDelivery::open($this->target, $feed->landedTable(), Holder::feed('feed-loads', 1));
        $reader = $this->source->reader($feed, $this->source->plan($feed, $session->position(), null));
        $session->land($reader->next(), 1, SteadyClock::seconds());
        $this->gate->run("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE application_name = 'lighterman reader' AND datname = current_database()");
        $this->assertTrouble('connection_lost', 'weighbridge', function () use ($session, $reader): void {
            while ($batch = $reader->next()) {
                $session->land($batch, 1, SteadyClock::seconds());
            }
        });
        $session->close();
        $this->source = new PostgresSource($this->settings('weighbridge', $this->database('gate')));
        $this->carry($feed, 2);
        $this->assertCopied($feed);
    }

    #[Test]
    public function a_table_dropped_after_it_was_chosen_is_named(): void
    {
        $feed = $this->loads();
        $this->gate->run('DROP TABLE loads');
        $this->assertTrouble('no_table', 'public.loads', fn () => $this->source->shape($feed->origin->table));
        $this->assertTrouble('no_table', 'loads', fn () => $this->source->plan($feed, new WatermarkPosition('2026-01-01'), null));
    }

    #[Test]
    public function what_a_feed_made_is_discarded_and_what_it_took_over_is_not(): void
    {
        $feed = $this->loads();
        $this->carry($feed);
        $this->target->discard('feed-loads');
        self::assertNull($this->house->value("SELECT to_regclass('gate.loads')"));
        self::assertSame('0', $this->house->value('SELECT count(*) FROM lighterman.receipt'));

        $this->house->run('CREATE TABLE gate.loads (id int PRIMARY KEY, kg numeric(9,1), updated_at timestamptz, delivered_at timestamptz, source_position text)');
        $this->carry($feed, 2);
        $this->target->discard('feed-loads');
        self::assertSame('100', $this->house->value('SELECT count(*) FROM gate.loads'));
    }
}
