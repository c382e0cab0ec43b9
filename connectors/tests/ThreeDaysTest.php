<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Core\Landing\Landing;
use PHPUnit\Framework\Attributes\Test;

/** Day one everything is new; day two some rows change and some are new; day three nothing happens. */
final class ThreeDaysTest extends PostgresCase
{
    #[Test]
    public function with_a_single_key_each_day_ends_equal_and_a_second_run_changes_nothing(): void
    {
        $this->gate->run('CREATE TABLE loads (load_id bigint PRIMARY KEY, kg numeric(9,1), updated_at timestamptz NOT NULL)');
        $this->gate->run("INSERT INTO loads SELECT g, g, now() - interval '1 day' FROM generate_series(1, 5000) g");
        $feed = $this->feed('loads', 'updated_at', ['load_id']);

        self::assertSame(5000, self::total($this->carry($feed), 'inserted'));
        $this->assertCopied($feed);
        self::assertSame([], $this->carry($feed), 'a second run finds nothing');

        $this->gate->run('UPDATE loads SET kg = kg + 1, updated_at = now() WHERE load_id % 10 = 0');
        $this->gate->run('INSERT INTO loads SELECT g, g, now() FROM generate_series(5001, 5200) g');
        $this->settle();
        $second = $this->carry($feed);
        self::assertSame([200, 500, 0], [self::total($second, 'inserted'), self::total($second, 'updated'), self::total($second, 'unchanged')]);
        $this->assertCopied($feed);

        self::assertSame([], $this->carry($feed), 'on the third day nothing is carried');
        $this->assertCopied($feed);
    }

    #[Test]
    public function with_a_composite_key_too(): void
    {
        $this->gate->run('CREATE TABLE samples (load_id bigint, no smallint, ph numeric(4,2), updated_at timestamp NOT NULL, PRIMARY KEY (load_id, no))');
        $this->gate->run("INSERT INTO samples SELECT g / 3, g % 3, 3.5, localtimestamp - interval '1 day' FROM generate_series(0, 2999) g");
        $feed = $this->feed('samples', 'updated_at', ['load_id', 'no']);

        self::assertSame(3000, self::total($this->carry($feed), 'inserted'));
        $this->gate->run('UPDATE samples SET ph = 3.6, updated_at = localtimestamp WHERE no = 2');
        $this->gate->run('INSERT INTO samples SELECT 5000, g, 3.1, localtimestamp FROM generate_series(1, 7) g');
        $this->settle();
        $second = $this->carry($feed);

        self::assertSame([7, 1000], [self::total($second, 'inserted'), self::total($second, 'updated')]);
        $this->assertCopied($feed);
        self::assertSame([], $this->carry($feed));
    }

    #[Test]
    public function a_date_watermark_reads_the_open_day_again_and_changes_nothing_by_it(): void
    {
        $this->gate->run('CREATE TABLE visits (visit_id int PRIMARY KEY, what text, changed_on date NOT NULL)');
        $this->gate->run("INSERT INTO visits SELECT g, 'x', current_date - (g % 30) FROM generate_series(1, 300) g");
        $feed = $this->feed('visits', 'changed_on', ['visit_id']);

        $this->carry($feed);
        $this->assertCopied($feed);
        $this->gate->run("UPDATE visits SET what = 'y', changed_on = current_date WHERE visit_id IN (3, 30)");
        $again = $this->carry($feed);
        self::assertSame(2, self::total($again, 'updated'));
        self::assertSame(10, self::total($again, 'unchanged') + 1, 'the rows of today are read again');
        $this->assertCopied($feed);
    }

    #[Test]
    public function a_reload_replaces_the_table_and_sees_deletes(): void
    {
        $this->gate->run('CREATE TABLE varieties (code char(3) PRIMARY KEY, name text)');
        $this->gate->run("INSERT INTO varieties SELECT 'V' || lpad(g::text, 2, '0'), 'n' || g FROM generate_series(0, 59) g");
        $feed = $this->feed('varieties', null, ['code'], Landing::Replace);

        $this->carry($feed);
        $this->gate->run("DELETE FROM varieties WHERE code < 'V10'");
        $receipts = $this->carry($feed);
        self::assertCount(1, $receipts, 'a reload is one unit');
        self::assertSame([50, 60], [$receipts[0]->inserted, $receipts[0]->deleted]);
        $this->assertCopied($feed);
    }

    #[Test]
    public function appended_rows_of_a_growing_number_arrive_once(): void
    {
        $this->gate->run('CREATE TABLE gate_log (entry_id bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY, plate text)');
        $this->gate->run("INSERT INTO gate_log (plate) SELECT 'AM' || g FROM generate_series(1, 1000) g");
        $feed = $this->feed('gate_log', 'entry_id', ['entry_id'], Landing::Append, ['watermarkUnique' => true]);

        self::assertSame(1000, self::total($this->carry($feed), 'inserted'));
        self::assertSame([], $this->carry($feed));
        $this->gate->run("INSERT INTO gate_log (plate) VALUES ('AM1'), ('AM2')");
        self::assertSame(2, self::total($this->carry($feed), 'inserted'));
        $this->assertCopied($feed);
    }
}
