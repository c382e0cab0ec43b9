<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\SteadyClock;
use Lighterman\Connectors\Triggers\ChangeTable;
use Lighterman\Connectors\Triggers\TriggerLog;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\Log\Begin;
use Lighterman\Core\Capture\Log\Commit;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Mark;
use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\LogReader;
use Lighterman\Core\Port\Sampling;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Tests\Definition\Definitions;
use Lighterman\Core\Trouble\SystemTrouble;
use PDO;
use PHPUnit\Framework\Attributes\Test;

/** What a source that is not PostgreSQL has to do, whichever it is. */
abstract class OtherSourceCase extends PostgresCase
{
    protected PDO $app;

    protected SourceSystem $other;

    protected ChangeTable $changes;

    protected TriggerLog $log;

    /** A session as the application at the source has them. */
    abstract protected function session(): PDO;

    abstract protected function table(string $name): TableName;

    protected function does(string ...$statements): void
    {
        foreach ($statements as $statement) {
            $this->app->exec($statement);
        }
    }

    protected function feedOf(string $table, ?string $watermark, array $key, Landing $landing = Landing::Upsert): FeedDefinition
    {
        $name = $this->table($table);

        return Definitions::of($table, $name, $this->other->shape($name), $watermark === null ? Capture::Reload : Capture::Watermark, $key, $landing, new TableName('gate', $table), $watermark);
    }

    /** Carries everything there is, from the other source. @return int rows read */
    protected function carryOther(FeedDefinition $feed): int
    {
        $session = RowDelivery::open($this->target, $feed->landedTable(), Holder::feed("feed-{$feed->name}", 1));
        $read = 0;
        try {
            do {
                $plan = $this->other->plan($feed, $session->position(), $this->note);
                $this->note = $plan->note;
                if ($plan->empty) {
                    return $read;
                }
                $reader = $this->other->reader($feed, $plan);
                while ($batch = $reader->next()) {
                    $read += $batch->rows;
                    $session->land($batch, 1, SteadyClock::seconds());
                }
                $reader->close();
            } while ($plan->kind === 'load');

            return $read;
        } finally {
            $session->close();
        }
    }

    /** @return list<array<string, string|null>> */
    protected function landed(string $columns, string $table): array
    {
        return $this->house->rows("SELECT {$columns} FROM gate.{$table} ORDER BY 1");
    }

    /** @return list<string> */
    protected static function told(LogReader $reader): array
    {
        $said = [];
        while ($message = $reader->next(150)) {
            $said[] = match (true) {
                $message instanceof Begin => 'begin',
                $message instanceof Commit => 'commit',
                $message instanceof Mark => $message->content,
                $message instanceof LoggedRow => $message->operation.' '.json_encode($message->before).' '.json_encode($message->after),
                default => null,
            };
        }

        return array_values(array_filter($said));
    }

    /** @return list<string> */
    protected function look(LogReader $reader): array
    {
        $this->log->mark('looked', after: true);

        return array_slice(self::told($reader), 0, -3);
    }

    protected function begin(): LogReader
    {
        return $this->log->open($this->log->ensure([$this->table('casks')], true));
    }

    #[Test]
    public function every_change_comes_with_the_rows_before_and_after_in_order(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY, note VARCHAR(60))');
        $reader = $this->begin();
        $odd = "it's \"q\\uoted\"\n\ttab \u{2603}";
        $this->app->prepare('INSERT INTO casks VALUES (1, ?)')->execute([$odd]);
        $this->app->beginTransaction();
        $this->does('INSERT INTO casks VALUES (2, NULL)', 'UPDATE casks SET id = 3 WHERE id = 2', 'DELETE FROM casks WHERE id = 1');
        $this->app->commit();

        self::assertSame(['begin', 'insert null '.json_encode(['1', $odd]), 'insert null ["2",null]', 'update ["2",null] ["3",null]', 'delete '.json_encode(['1', $odd]).' null', 'commit'], $this->look($reader));
        self::assertSame([], $this->look($reader));
    }

    #[Test]
    public function what_is_rolled_back_leaves_nothing(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY)');
        $reader = $this->begin();
        $this->app->beginTransaction();
        $this->does('INSERT INTO casks VALUES (1)');
        $this->app->rollBack();
        $this->does('INSERT INTO casks VALUES (2)');
        self::assertSame(['begin', 'insert null ["2"]', 'commit'], $this->look($reader));
        self::assertSame([], $this->look($reader));
    }

    #[Test]
    public function reading_goes_on_after_a_crash_and_what_was_confirmed_is_removed(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY)');
        $reader = $this->begin();
        $this->does('INSERT INTO casks VALUES (1)');
        do {
            $first = $reader->next(500);
        } while (! $first instanceof Commit);
        $this->does('INSERT INTO casks VALUES (2)');
        do {
            $second = $reader->next(500);
        } while (! $second instanceof Commit);
        // The second was read and had not landed.
        $again = (new TriggerLog('cellar', $this->changes));
        $reader = $again->open($first->end);
        $this->does('INSERT INTO casks VALUES (3)');
        self::assertSame(['begin', 'insert null ["2"]', 'commit', 'begin', 'insert null ["3"]', 'commit'], self::told($reader));
        $reader->next(200);
        $reader->confirm($second->end);
        $last = (new TriggerLog('cellar', $this->changes))->open($second->end);
        self::assertSame(['begin', 'insert null ["3"]', 'commit'], self::told($last));
    }

    #[Test]
    public function triggers_that_are_missing_or_older_than_the_shape_are_noticed_and_made_again(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY, note VARCHAR(60))');
        $reader = $this->begin();
        $table = (string) $this->table('casks');
        self::assertSame([], $this->log->amiss([$this->table('casks')]));
        $this->does('ALTER TABLE casks ADD COLUMN litres INTEGER');
        self::assertSame([$table => 'the triggers were older than the table\'s shape'], $this->log->amiss([$this->table('casks')]));
        $this->log->ensure([$this->table('casks')], false);
        $this->does('INSERT INTO casks VALUES (1, NULL, 225)');
        self::assertSame(['begin', 'insert null ["1",null,"225"]', 'commit'], $this->look($reader));
        $this->does('DROP TABLE casks', 'CREATE TABLE casks (id INTEGER PRIMARY KEY)');
        self::assertSame([$table => 'a trigger was missing'], $this->log->amiss([$this->table('casks')]));
    }

    #[Test]
    public function everything_it_made_is_removed_again_and_a_lost_change_table_is_said_so(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY)');
        $this->begin();
        self::assertSame([(string) $this->table('casks')], array_map(static fn ($e): string => (string) $e->table, $this->other->catalogue()), 'its own tables are not offered');
        $this->log->remove();
        self::assertNull($this->log->state());
        $this->does('INSERT INTO casks VALUES (1)');
        $this->expectExceptionMessageMatches('/change table .* is gone/');
        $this->log->open(null);
    }

    #[Test]
    public function a_watermark_brings_each_change_once_and_in_pieces_what_is_many(): void
    {
        $this->does('CREATE TABLE casks (site VARCHAR(4) NOT NULL, id INTEGER NOT NULL, litres DECIMAL(9,2), updated_at TIMESTAMP NULL, PRIMARY KEY (site, id))');
        $insert = $this->app->prepare("INSERT INTO casks VALUES (?, ?, 1.5, '2026-01-02 03:04:05')");
        $this->app->beginTransaction();
        for ($i = 0; $i < 3000; $i++) {
            $insert->execute([['a', 'b'][$i % 2], $i]);
        }
        $this->app->commit();
        $feed = $this->feedOf('casks', 'updated_at', ['site', 'id']);
        self::assertSame(3000, $this->carryOther($feed));
        self::assertSame(0, $this->carryOther($feed));
        $this->does('UPDATE casks SET litres = 2, updated_at = CURRENT_TIMESTAMP WHERE id = 7');
        // Times in whole seconds: the second under way stays open.
        self::assertSame(0, $this->carryOther($feed));
        usleep(1_700_000);
        self::assertSame(1, $this->carryOther($feed));
        self::assertSame([['rows' => '3000', 'litres' => '4500.50']], $this->house->rows('SELECT count(*) AS rows, sum(litres)::numeric(9,2) AS litres FROM gate.casks'));
    }

    #[Test]
    public function advice_rests_on_what_is_in_the_table(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY, filled_at TIMESTAMP NULL, updated_at TIMESTAMP NULL, site VARCHAR(4))', 'CREATE INDEX casks_updated ON casks (updated_at)',
            "INSERT INTO casks VALUES (1, '2026-01-01 00:00:00', '2026-01-02 00:00:00', 'a'), (2, '2026-01-01 00:00:00', NULL, 'a'), (3, NULL, '2037-01-01 00:00:00', NULL)");
        $facts = $this->other->facts($this->table('casks'));
        self::assertSame([3, 1, 1, 1, true, false], [$facts->count->rows, $facts->columns['updated_at']->nulls, $facts->columns['updated_at']->ahead, $facts->columns['filled_at']->outrun?->rows, $facts->columns['updated_at']->indexed, $facts->columns['filled_at']->indexed]);
        $bad = $this->other->facts($this->table('casks'), ['site']);
        self::assertSame([['site' => 'a'], ['site']], [$bad->key->duplicate, $bad->key->nullable]);
        self::assertSame(['id' => '2', 'filled_at' => '2026-01-01 00:00:00', 'updated_at' => null, 'site' => 'a'], array_map(static fn (?string $v): ?string => $v === null ? null : (string) preg_replace('/(\.0+)?(\+00)?$/', '', $v), $this->other->row($this->feedOf('casks', null, ['id']), ['id' => '2']) ?? []));
    }

    #[Test]
    public function a_table_that_is_not_there_is_named(): void
    {
        try {
            $this->other->shape($this->table('nowhere'));
            self::fail('It has a shape.');
        } catch (SystemTrouble $trouble) {
            self::assertSame('no_table', $trouble->reason->value);
        }
    }

    #[Test]
    public function some_rows_are_picked_and_values_are_looked_up(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY, wood VARCHAR(20), litres DECIMAL(6,1), filled_at DATETIME(6))', "INSERT INTO casks VALUES (1, 'oak', 1.5, '2026-01-02 03:04:05'), (2, 'ash''s', 2.5, '2026-01-02 03:04:06'), (3, NULL, 3.5, '2026-01-02 03:04:07')");
        $feed = $this->feedOf('casks', null, ['id']);
        $ids = fn (Sampling $which, int $rows): array => array_column($this->other->some($feed, $which, $rows), 0);
        self::assertSame(['1', '2'], $ids(Sampling::first(), 2));
        self::assertSame(['3', '2'], $ids(Sampling::last(), 2));
        self::assertSame(['2'], $ids(Sampling::key(['id' => '2']), 5));
        self::assertSame([], $ids(Sampling::key(['id' => '9']), 5));
        $random = $ids(Sampling::random(), 3);
        sort($random);
        self::assertSame(['1', '2', '3'], $random);

        $names = $feed->origin->shape->names();
        [$key, $name] = [$feed->origin->shape->columns[0], $feed->origin->shape->columns[1]];
        self::assertSame(['1' => 'oak', '2' => "ash's", '3' => null], $this->other->lookup($this->table('casks'), $key, $name)->fetch(['1', '2', '3', '4']));
        self::assertSame(["ash's" => '2'], $this->other->lookup($this->table('casks'), $name, $key)->fetch(["ash's", "x' OR '1' = '1"]));
        self::assertCount(4, $names);
        $this->expectException(SystemTrouble::class);
        $this->other->lookup($this->table('no_such'), $key, $name)->fetch(['1']);
    }
}
