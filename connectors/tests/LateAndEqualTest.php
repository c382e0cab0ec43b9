<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Source\PostgresSource;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Position\WatermarkPosition;
use PHPUnit\Framework\Attributes\Test;

final class LateAndEqualTest extends PostgresCase
{
    private function openTransaction(): Connection
    {
        $late = new Connection($this->settings('weighbridge', $this->database('gate')), 'gate', readOnly: false);
        $late->run('BEGIN');

        return $late;
    }

    #[Test]
    public function a_row_stamped_early_and_committed_late_is_not_missed(): void
    {
        $this->gate->run('CREATE TABLE loads (id int PRIMARY KEY, updated_at timestamptz NOT NULL DEFAULT now())');
        $this->gate->run("INSERT INTO loads VALUES (1, now() - interval '1 day')");
        $feed = $this->feed('loads', 'updated_at', ['id']);
        $this->carry($feed);

        $late = $this->openTransaction();
        $late->run('INSERT INTO loads (id) VALUES (2)');
        usleep(50_000);
        $this->gate->run('INSERT INTO loads (id) VALUES (3)');
        $this->settle();
        $this->carry($feed);
        self::assertSame('1', $this->house->value('SELECT count(*) FROM gate.loads'), 'the row after the open transaction waits for it');

        $late->run('COMMIT');
        $this->settle();
        $this->carry($feed);
        $this->assertCopied($feed);
        $late->close();
    }

    #[Test]
    public function a_number_taken_early_and_committed_late_is_not_missed(): void
    {
        $this->gate->run('CREATE TABLE log (id bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY, what text)');
        $this->gate->run("INSERT INTO log (what) VALUES ('a')");
        $feed = $this->feed('log', 'id', ['id'], Landing::Append, ['watermarkUnique' => true]);
        $this->carry($feed);

        $late = $this->openTransaction();
        $late->run("INSERT INTO log (what) VALUES ('late')");
        $this->gate->run("INSERT INTO log (what) VALUES ('early')");
        $this->carry($feed);
        self::assertNotNull($this->note, 'the number is noted and waited for');
        self::assertSame('1', $this->house->value('SELECT count(*) FROM gate.log'));
        $late->run('COMMIT');
        $this->settle();
        $this->carry($feed);
        $this->assertCopied($feed);
        $late->close();
    }

    #[Test]
    public function equal_watermarks_across_a_batch_boundary_are_neither_lost_nor_doubled(): void
    {
        $this->gate->run('CREATE TABLE loads (id int PRIMARY KEY, pad text, updated_at timestamptz NOT NULL)');
        $this->gate->run("INSERT INTO loads VALUES (0, '', now() - interval '2 hours')");
        $feed = $this->feed('loads', 'updated_at', ['id'], Landing::Append);
        $this->carry($feed);
        $this->gate->run("INSERT INTO loads SELECT g, repeat('x', 900), now() FROM generate_series(1, 25000) g");
        $this->settle();
        $receipts = $this->carry($feed);

        self::assertGreaterThan(2, count($receipts), 'the window took several batches');
        self::assertInstanceOf(WatermarkPosition::class, $receipts[0]->to);
        self::assertNotNull($receipts[0]->to->key, 'and was cut between rows of one watermark');
        $this->assertCopied($feed);
        self::assertSame('25001', $this->house->value('SELECT count(*) FROM gate.loads'));
    }

    #[Test]
    public function a_window_cut_short_goes_on_between_rows_of_one_watermark(): void
    {
        $this->gate->run('CREATE TABLE loads (a int, b text, pad text, updated_at timestamp NOT NULL, PRIMARY KEY (a, b))');
        $this->gate->run("INSERT INTO loads VALUES (0, '', '', localtimestamp - interval '2 hours')");
        $feed = $this->feed('loads', 'updated_at', ['a', 'b']);
        $this->carry($feed);
        $this->gate->run("INSERT INTO loads SELECT g % 50, 'k' || g, repeat('x', 900), localtimestamp FROM generate_series(1, 20000) g");
        $this->settle();

        $session = RowDelivery::open($this->target, $feed->landedTable(), Holder::feed('feed-loads', 2));
        $plan = $this->source->plan($feed, $session->position(), null);
        $reader = $this->source->reader($feed, $plan);
        do {
            $receipt = $session->land($reader->next() ?? self::fail('the window ended early'), 1, SteadyClock::seconds());
        } while ($receipt === null);
        $reader->close();
        $session->close();
        self::assertLessThan(20000, $receipt->read);

        $this->gate->run("UPDATE loads SET pad = 'changed meanwhile', updated_at = localtimestamp WHERE a < 10");
        $this->settle();
        $this->carry($feed, 3);
        $this->carry($feed, 3);
        $this->assertCopied($feed);
    }

    #[Test]
    public function an_overlap_reads_again_what_a_blind_account_may_have_missed(): void
    {
        $this->gate->run("CREATE TABLE loads (id int PRIMARY KEY, updated_at timestamptz NOT NULL); INSERT INTO loads VALUES (1, now() - interval '1 hour')");
        $feed = $this->feed('loads', 'updated_at', ['id'], more: ['overlap' => 120]);
        $this->carry($feed);
        $this->gate->run("INSERT INTO loads VALUES (2, now() - interval '90 seconds')");
        $this->carry($feed);
        $this->assertCopied($feed);
    }

    #[Test]
    public function an_account_that_cannot_see_open_transactions_is_told_so(): void
    {
        $role = 'blind'.bin2hex(random_bytes(3));
        $this->gate->run("CREATE ROLE {$role} LOGIN PASSWORD 'x-{$role}'");
        try {
            $blind = new PostgresSource($this->settings('weighbridge', $this->database('gate'), $role, "x-{$role}"));
            self::assertFalse($blind->capabilities()->seesOpenTransactions);
            self::assertTrue($this->source->capabilities()->seesOpenTransactions);
            $remedies = array_map(static fn ($f): string => (string) $f->remedy, $blind->check());
            self::assertStringContainsString("GRANT pg_read_all_stats TO \"{$role}\"", implode("\n", $remedies));
        } finally {
            unset($blind);
            gc_collect_cycles();
            $this->gate->run("DROP ROLE {$role}");
        }
    }

    #[Test]
    public function rows_changed_while_the_first_load_runs_come_with_the_increment(): void
    {
        $this->gate->run('CREATE TABLE loads (id int PRIMARY KEY, pad text, updated_at timestamptz NOT NULL DEFAULT now())');
        $this->gate->run("INSERT INTO loads SELECT g, repeat('x', 900), now() - interval '1 day' FROM generate_series(1, 30000) g");
        $feed = $this->feed('loads', 'updated_at', ['id'], Landing::Append);
        $session = RowDelivery::open($this->target, $feed->landedTable(), Holder::feed('feed-loads', 1));
        $reader = $this->source->reader($feed, $this->source->plan($feed, $session->position(), null));
        while (($batch = $reader->next()) !== null && $session->land($batch, 1, SteadyClock::seconds()) === null) {
        }
        $reader->close();
        $session->close();
        // One row behind the point the load has reached, one ahead of it, one new: none may arrive twice or not at all.
        $this->gate->run("UPDATE loads SET pad = 'again', updated_at = now() WHERE id IN (5, 29999); INSERT INTO loads (id, pad) VALUES (30001, 'new')");
        $this->settle();
        $this->carry($feed);
        $this->carry($feed);
        self::assertSame('30000', $this->house->value('SELECT count(DISTINCT id) FROM gate.loads WHERE id <= 30000'));
        self::assertSame(['5', '29999', '30001'], array_column($this->house->rows("SELECT id FROM gate.loads WHERE pad IN ('again', 'new') ORDER BY id"), 'id'));
        self::assertSame('1', $this->house->value('SELECT count(*) FROM gate.loads WHERE id = 29999'), 'a row changed before the load came to it arrives once');
    }
}
