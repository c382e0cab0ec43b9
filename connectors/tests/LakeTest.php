<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\TypeMap;
use Lighterman\Connectors\Lake\LocalFolder;
use Lighterman\Connectors\Lake\Page;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\JoinedFiles;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\ListText;
use Lighterman\Core\Record\Stretch;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Trouble\InvalidDefinition;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

final class LakeTest extends LakeCase
{
    /** @return list<array<string, string|null>> */
    private function inLake(string $sql): array
    {
        $result = $this->lake->query($sql, 100_000, 60);
        $names = array_column($result->columns, 'name');

        return array_map(static fn (array $row): array => array_combine($names, $row), $result->rows);
    }

    /** Asserts that the lake holds exactly the source's rows. */
    private function assertLanded(FeedDefinition $feed, string $columns = 'id, kg, code'): void
    {
        $at = $this->gate->rows("SELECT {$columns} FROM {$feed->origin->table} ORDER BY 1, 2");
        $landed = $this->inLake("SELECT {$columns} FROM gate.{$feed->destination->table->name} ORDER BY 1, 2");
        self::assertSame([[], []], [array_slice(array_diff(array_map(json_encode(...), $at), array_map(json_encode(...), $landed)), 0, 3), array_slice(array_diff(array_map(json_encode(...), $landed), array_map(json_encode(...), $at)), 0, 3)]);
        self::assertSame(count($at), count($landed));
        self::assertSame(count($at), $this->lake->count($feed->destination->table));
    }

    private function loads(int $rows = 3000): void
    {
        $this->gate->run("CREATE TABLE loads (id int PRIMARY KEY, kg int, code text, arrived_on date NOT NULL, updated_at timestamptz NOT NULL DEFAULT now());
            INSERT INTO loads SELECT g, g * 2, 'c' || g % 7, DATE '2026-01-01' + g % 30, now() - interval '1 day' FROM generate_series(1, {$rows}) g");
    }

    private function touch(string $change): void
    {
        $this->gate->run($change);
        $this->settle();
    }

    #[Test]
    public function every_value_of_every_type_is_read_by_others_as_it_was(): void
    {
        $this->gate->run('CREATE TABLE t (id int PRIMARY KEY, small smallint, big bigint, exact numeric(38,6), wide numeric(12,4), loose numeric, f4 real, f8 double precision, flag boolean, words text, raw bytea, d date, ts timestamp, tstz timestamptz, u uuid, j jsonb, list int[], t time)');
        $this->gate->run("INSERT INTO t VALUES (1, -32768, 9223372036854775807, 99999999999999999999999999999999.999999, -12345678.1234, 0.000000000000000000000000000001, 1.1, 0.1, true, \$1, '\\x00ff5c0a09', '1850-03-15', '1850-12-31 23:59:59.123456', '2026-10-25 01:30:00.123456+01', 'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11', '{\"k\": [1, {\"v\": \"ä\\t\"}]}', '{1,NULL,3}', '23:59:59.999')", ["tab\there, newline\nthere, return\r, backslash \\ and \\N, quotes ' \" , emoji 🍎"]);
        $this->gate->run("INSERT INTO t VALUES (2, 0, -9223372036854775808, -99999999999999999999999999999999.999999, 0, 1e40, 'Infinity', 'NaN', false, '', '', '9999-12-31', '20000-01-01', '0044-03-15 12:00:00+00 BC', NULL, '[]', '{}', '00:00')");
        $this->gate->run("INSERT INTO t (id, words, d, f8) VALUES (3, repeat('long ', 220000), '0044-03-15 BC', '-Infinity'), (4, '\\N', NULL, 1.7976931348623157e308)");
        $feed = $this->lakeFeed('t', null, ['id'], Landing::Replace);
        self::assertSame(4, self::total($this->carry($feed, into: $this->lake), 'inserted'));

        $rows = array_column($this->readByOthers('gate.t'), null, 'id');
        $expected = $this->gate->rows("SELECT id, small, big, exact, wide, loose, flag::text AS flag, words, encode(raw, 'hex') AS raw, (d - DATE '1970-01-01') AS d, (extract(epoch FROM ts) * 1000000)::bigint AS ts, (extract(epoch FROM tstz) * 1000000)::bigint AS tstz, u, j, list, extract(epoch FROM t) * 1000000 AS t FROM t ORDER BY id");
        foreach ($expected as $row) {
            $own = $rows[$row['id']];
            foreach ($row as $name => $value) {
                $landed = is_bool($own[$name] ?? null) ? ($own[$name] ? 'true' : 'false') : $own[$name] ?? null;
                $landed = is_array($landed) ? ListText::of($landed) : $landed;
                self::assertSame($name === 't' && $value !== null ? (string) (int) $value : $value, $landed, "{$name} of row {$row['id']}");
            }
        }
        self::assertSame(['1.100000023841858', '0.1', 'Infinity', 'NaN', '-Infinity'], [$rows[1]['f4'], $rows[1]['f8'], $rows[2]['f4'], $rows[2]['f8'], $rows[3]['f8']]);
        self::assertSame(['\\x00ff5c0a09'], array_values(array_intersect_key($this->lake->row(new TableName('gate', 't'), ['id' => '1']) ?? [], ['raw' => 1])));
    }

    #[Test]
    public function increments_are_merged_and_only_the_partitions_they_touch_are_rewritten(): void
    {
        $this->loads();
        $feed = $this->lakeFeed('loads', 'updated_at', ['id'], Landing::Upsert, ['day(arrived_on)'], ['overlap' => 3 * 86400]);
        $this->carry($feed, into: $this->lake);
        $this->assertLanded($feed);
        $before = $this->counted('gate.loads');
        self::assertCount(30, $before);
        self::assertStringStartsWith('gate/loads/arrived_on_day=2026-01-01/', $before[0]);

        $this->touch("UPDATE loads SET kg = 1, updated_at = clock_timestamp() WHERE arrived_on IN ('2026-01-03', '2026-01-04') AND id < 1000; INSERT INTO loads VALUES (9001, 5, 'new', '2026-02-14')");
        $receipts = $this->carry($feed, into: $this->lake);
        $this->assertLanded($feed);
        self::assertSame([1, 68, 2932], [self::total($receipts, 'inserted'), self::total($receipts, 'updated'), self::total($receipts, 'unchanged')]);
        $gone = array_diff($before, $this->counted('gate.loads'));
        self::assertSame(['arrived_on_day=2026-01-03', 'arrived_on_day=2026-01-04'], array_values(array_map(static fn (string $n): string => explode('/', $n)[2], $gone)));
        self::assertCount(31, $this->counted('gate.loads'));

        // A row whose partition changes leaves the one it was in.
        $this->touch("UPDATE loads SET arrived_on = '2026-03-01', updated_at = clock_timestamp() WHERE id = 5");
        $this->carry($feed, into: $this->lake);
        $this->assertLanded($feed, 'id, arrived_on, kg');
        $counted = $this->counted('gate.loads');
        self::assertSame(3001, self::total($this->carry($feed, into: $this->lake), 'unchanged'));
        self::assertSame($counted, $this->counted('gate.loads'), 'what has not changed is not rewritten');
    }

    #[Test]
    #[TestWith([Landing::Append])]
    #[TestWith([Landing::Upsert])]
    public function files_in_which_lists_are_text_still_as_they_once_were_are_read_beside_others(Landing $landing): void
    {
        $this->gate->run("CREATE TABLE tags (id bigint PRIMARY KEY, at timestamptz NOT NULL DEFAULT now(), words text[], loads int[], element int[]); INSERT INTO tags VALUES (1, now() - interval '1 day', ARRAY['a,b', NULL, 'q\"x'], '{1,NULL,3}', NULL), (2, now() - interval '1 day', NULL, '{}', '{7}')");
        $feed = $this->lakeFeed('tags', 'at', ['id'], $landing);
        $this->carry($feed, into: $this->lake);
        $path = "{$this->path}/{$this->counted('gate.tags')[0]}";
        $engine = new Engine([$this->path], 160, 2, "{$this->path}/spill");
        $texts = implode(', ', array_map(static fn (Column $c): string => TypeMap::text(Engine::name($c->name), $c->type).' AS '.Engine::name($c->name), array_slice($feed->origin->shape->columns, 2)));
        $engine->run('CREATE TEMP TABLE was AS SELECT * REPLACE ('.$texts.') FROM read_parquet('.Engine::literal($path).')');
        $engine->run('COPY was TO '.Engine::literal($path).' (FORMAT parquet)');
        foreach (glob("{$this->path}/_lighterman/feeds/*/*") ?: [] as $page) {
            // Nor were there sums then.
            file_put_contents($page, preg_replace(['/"bytes":\d+,"sequence"/', '/,"sum":"[0-9a-f]+"/'], ['"bytes":'.filesize($path).',"sequence"', ''], (string) file_get_contents($page)));
        }
        self::assertSame('VARCHAR', $engine->value('SELECT typeof(words) FROM read_parquet('.Engine::literal($path).') LIMIT 1'));
        $read = 'SELECT id, words[3] AS third, words[1] AS first, len(loads) AS n, element[1] AS e FROM gate.tags ORDER BY id';
        $old = [['id' => '1', 'third' => 'q"x', 'first' => 'a,b', 'n' => '3', 'e' => null], ['id' => '2', 'third' => null, 'first' => null, 'n' => '0', 'e' => '7']];
        self::assertSame($old, $this->inLake($read));
        $this->touch("INSERT INTO tags (id, words, loads) VALUES (3, '{x}', '{9}')");
        $this->carry($feed, into: $this->lake);
        self::assertSame([...$old, ['id' => '3', 'third' => null, 'first' => 'x', 'n' => '1', 'e' => null]], $this->inLake($read));
    }

    #[Test]
    public function a_year_is_appended_day_by_day_and_one_day_again_without_touching_another(): void
    {
        $this->gate->run('CREATE TABLE days (id bigint PRIMARY KEY, day date NOT NULL, what text)');
        $feed = $this->lakeFeed('days', 'id', ['id'], Landing::Append, ['month(day)', 'what'], ['watermarkUnique' => true]);
        for ($day = 0; $day < 12; $day++) {
            $this->touch("INSERT INTO days SELECT {$day} * 100 + g, DATE '2026-01-15' + interval '{$day} months', CASE WHEN g % 2 = 0 THEN 'a/b=c d' END FROM generate_series(1, 10) g");
            $files = $this->lake->tables() === [] ? [] : $this->counted('gate.days');
            $this->carry($feed, into: $this->lake);
            self::assertSame($files, array_slice($this->counted('gate.days'), 0, count($files)), 'what is there stays');
        }
        self::assertSame([['n' => '120', 'd' => '12']], $this->inLake('SELECT count(*) AS n, count(DISTINCT day) AS d FROM gate.days'));
        self::assertSame(['gate/days/day_month=2026-01/what=__HIVE_DEFAULT_PARTITION__', 'gate/days/day_month=2026-01/what=a%2Fb%3Dc%20d'], array_values(array_unique(array_map(dirname(...), array_slice($this->counted('gate.days'), 0, 2)))));
        self::assertSame([['n' => '5']], $this->inLake("SELECT count(*) AS n FROM gate.days WHERE what = 'a/b=c d' AND day_month = '2026-03'"));
        self::assertSame([['n' => '10']], $this->inLake("SELECT count(*) AS n FROM gate.days WHERE day_month = '2026-12'"));
        foreach (["day_month = '2026-12'" => [2, 24], "what = 'a/b=c d' AND day_month >= '2026-11'" => [2, 24], 'what IS NULL' => [12, 24], "what = 'never'" => [0, 24], 'id = 5' => [24, 24]] as $where => $files) {
            self::assertSame($files, $this->lake->query("SELECT * FROM gate.days WHERE {$where}", 100, 30)->files, $where);
        }
    }

    #[Test]
    public function of_a_year_of_days_no_delivery_touches_another_day_and_one_day_can_come_again(): void
    {
        $this->gate->run('CREATE TABLE days (id bigint PRIMARY KEY, day date NOT NULL, kg int)');
        $feed = $this->lakeFeed('days', 'id', ['id'], Landing::Append, ['day(day)'], ['watermarkUnique' => true]);
        $seen = [];
        for ($day = 0; $day < 365; $day++) {
            $this->gate->run("INSERT INTO days SELECT {$day} * 100 + g, DATE '2025-01-01' + {$day}, g FROM generate_series(1, 20) g");
            $this->carry($feed, into: $this->lake);
            foreach (array_diff($this->counted('gate.days'), array_keys($seen)) as $name) {
                $seen[$name] = md5_file("{$this->path}/{$name}");
            }
        }
        self::assertCount(365, $seen);
        self::assertCount(365, array_unique(array_map(dirname(...), array_keys($seen))));
        $session = RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-days', 1));
        $at = $session->position();
        $session->again(new Batch($feed->landedTable()->shape, implode('', array_map(static fn (int $g): string => (20_000 + $g)."\t2025-07-14\t{$g}\n", range(1, 20))), new Stretch($at, $at, null, true)), 1);
        $session->close();
        $counted = $this->counted('gate.days');
        self::assertCount(366, $counted);
        foreach ($seen as $name => $hash) {
            self::assertSame($hash, md5_file("{$this->path}/{$name}"), $name);
        }
        $again = array_values(array_diff($counted, array_keys($seen)));
        self::assertStringContainsString('/day_day=2025-07-14/', $again[0]);
        $result = $this->lake->query("SELECT count(*), sum(kg) FROM gate.days WHERE day_day = '2025-07-14'", 10, 30);
        self::assertSame([['40', '420'], [2, 366]], [$result->rows[0], $result->files]);
        self::assertSame([['7320']], $this->lake->query('SELECT count(*) FROM gate.days', 10, 30)->rows);
    }

    #[Test]
    public function a_feed_goes_on_whatever_has_become_of_the_books_of_others(): void
    {
        $this->loads(20);
        $feed = $this->lakeFeed('loads', 'updated_at', ['id']);
        $this->carry($feed, into: $this->lake);
        $book = "{$this->path}/_lighterman/feeds/feed-other";
        mkdir($book);
        file_put_contents("{$book}/0000000001.json", '{"cut off');
        $this->touch('UPDATE loads SET kg = 7, updated_at = clock_timestamp() WHERE id = 3');
        self::assertSame(1, self::total($this->carry($feed, into: $this->lake), 'updated'));
    }

    #[Test]
    public function rows_are_told_apart_by_a_key_of_two_columns(): void
    {
        $this->gate->run("CREATE TABLE samples (load int, no int, ph numeric(4,2), updated_at timestamptz NOT NULL DEFAULT now(), PRIMARY KEY (load, no)); INSERT INTO samples SELECT l, n, 3.5, now() - interval '1 day' FROM generate_series(1, 50) l, generate_series(1, 3) n");
        $feed = $this->lakeFeed('samples', 'updated_at', ['load', 'no'], Landing::Upsert, ['no']);
        $this->carry($feed, into: $this->lake);
        $this->touch('UPDATE samples SET ph = 4, updated_at = clock_timestamp() WHERE load = 7 AND no = 2; INSERT INTO samples VALUES (7, 4, 3.1)');
        $receipts = $this->carry($feed, into: $this->lake);
        self::assertSame([1, 1], [self::total($receipts, 'inserted'), self::total($receipts, 'updated')]);
        $this->assertLanded($feed, 'load, no, ph');
        self::assertSame([2, 4], $this->lake->query('SELECT * FROM gate.samples WHERE no IN (2, 4)', 1000, 30)->files);
    }

    #[Test]
    public function small_files_are_joined_and_who_reads_the_old_ones_may_go_on(): void
    {
        $this->gate->run('CREATE TABLE trickle (id bigint PRIMARY KEY, part text)');
        $feed = $this->lakeFeed('trickle', 'id', ['id'], Landing::Append, ['part'], ['watermarkUnique' => true]);
        $most = 0;
        for ($n = 1; $n <= 15; $n++) {
            $this->touch("INSERT INTO trickle VALUES ({$n} * 2, 'a'), ({$n} * 2 + 1, CASE WHEN {$n} < 3 THEN 'b' ELSE 'a' END)");
            $before = $n === 1 ? [] : $this->counted('gate.trickle');
            $this->carry($feed, into: $this->lake);
            $most = max($most, count($this->counted('gate.trickle')));
            foreach ($before as $name) {
                self::assertFileExists("{$this->path}/{$name}");
            }
            self::assertSame([['n' => (string) (2 * $n), 's' => (string) array_sum(range(2, 2 * $n + 1))]], $this->inLake('SELECT count(*) AS n, sum(id) AS s FROM gate.trickle'));
        }
        self::assertLessThan(15, $most);
        $kept = array_keys($this->ledger()->last('feeds/feed-trickle')?->kept() ?? []);
        self::assertSame([], array_diff(array_map(static fn (string $n): string => substr($n, 2), $this->dataFiles()), $kept), 'what was joined before it ever counted is gone');
        self::assertSame(['part=a' => 4, 'part=b' => 2], array_map(static fn (array $p): int => $p['files'], $this->lake->files(new TableName('gate', 'trickle'))->partitions ?? []));
        self::assertSame(30, $this->lake->count(new TableName('gate', 'trickle')));
    }

    #[Test]
    public function a_run_of_its_own_joins_what_is_small_and_nothing_else_moves(): void
    {
        $this->gate->run('CREATE TABLE trickle (id bigint PRIMARY KEY, part text)');
        $feed = $this->lakeFeed('trickle', 'id', ['id'], Landing::Append, ['part'], ['watermarkUnique' => true]);
        for ($n = 1; $n <= 4; $n++) {
            $this->touch("INSERT INTO trickle VALUES ({$n} * 2, 'a'), ({$n} * 2 + 1, CASE WHEN {$n} < 3 THEN 'b' ELSE 'c' || {$n} END)");
            $this->carry($feed, into: $this->lake);
        }
        $before = $this->counted('gate.trickle');
        self::assertSame([8, 6], [count($before), $this->lake->files($feed->destination->table)?->small]);
        $page = $this->ledger()->last('feeds/feed-trickle')->feeds['feed-trickle'] ?? null;
        $late = RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-trickle', 5));
        $session = RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-trickle', 6));
        try {
            $late->join();
            self::fail('It joined.');
        } catch (LeaseLost) {
            self::assertSame([$before, 8], [$this->counted('gate.trickle'), count($this->dataFiles())], 'who has lost its lease joins nothing');
        }
        self::assertEquals(new JoinedFiles(8, 4), $session->join());
        self::assertSame([4, 0, 8], [count($this->counted('gate.trickle')), $this->lake->files($feed->destination->table)?->small, $this->lake->count($feed->destination->table)]);
        self::assertSame([['n' => '8', 's' => '44', 'parts' => '4']], $this->inLake('SELECT count(*) AS n, sum(id) AS s, count(DISTINCT part) AS parts FROM gate.trickle'));
        foreach ($before as $name) {
            self::assertFileExists("{$this->path}/{$name}", 'who reads it may go on');
        }
        $after = $this->ledger()->last('feeds/feed-trickle')->feeds['feed-trickle'] ?? null;
        self::assertEquals([$page?->position, $page?->sequence, $page?->receipts], [$after?->position, $after?->sequence, $after?->receipts]);
        self::assertNull($session->join(), 'nothing is left to join');

        // The next delivery goes on from there.
        $this->touch("INSERT INTO trickle VALUES (10, 'a')");
        $this->carry($feed, 7, $this->lake);
        self::assertSame([9, 5], [$this->lake->count($feed->destination->table), count($this->counted('gate.trickle'))]);
        $kept = array_keys($this->ledger()->last('feeds/feed-trickle')?->kept() ?? []);
        self::assertEqualsCanonicalizing($kept, array_map(static fn (string $n): string => substr($n, 2), $this->dataFiles()));
        self::assertSame([], $this->ledger()->last('feeds/feed-trickle')?->claimed(8, time() + Page::GRACE + 1)->feeds['feed-trickle']->retired, 'they go once nobody can be reading them');
    }

    #[Test]
    public function a_replaced_table_is_swapped_whole_and_a_new_column_is_null_in_older_files(): void
    {
        $this->loads(500);
        $replace = $this->lakeFeed('loads', null, ['id'], Landing::Replace, [], ['name' => 'replaced', 'landed' => new TableName('gate', 'replaced')]);
        $this->carry($replace, into: $this->lake);
        $first = $this->counted('gate.replaced');
        $this->gate->run('DELETE FROM loads WHERE id > 100');
        $this->carry($replace, into: $this->lake);
        $this->assertLanded($replace);
        self::assertSame([], array_intersect($first, $this->counted('gate.replaced')));
        self::assertNotSame([], array_intersect($first, array_map(static fn (string $n): string => substr($n, 2), $this->dataFiles())), 'whoever reads the old files may go on');

        $append = $this->lakeFeed('loads', 'updated_at', ['id'], Landing::Append, [], ['name' => 'appended', 'landed' => new TableName('gate', 'appended')]);
        $this->carry($append, into: $this->lake);
        $this->gate->run('ALTER TABLE loads ADD extra int DEFAULT 7; ALTER TABLE loads ALTER kg TYPE bigint');
        $this->touch('UPDATE loads SET updated_at = clock_timestamp() WHERE id <= 3');
        $wider = $this->lakeFeed('loads', 'updated_at', ['id'], Landing::Append, [], ['name' => 'appended', 'landed' => new TableName('gate', 'appended')]);
        self::assertSame([], $this->lake->prepareChange($wider->landedTable(), [])->obstacles());
        $this->carry($wider, into: $this->lake);
        self::assertSame([['n' => '103', 'extra' => '3', 'kg' => 'BIGINT']], $this->inLake('SELECT count(*) AS n, count(extra) AS extra, any_value(typeof(kg)) AS kg FROM gate.appended'));
    }

    #[Test]
    public function forks_land_in_tables_of_their_own_and_commit_together(): void
    {
        $this->loads(300);
        $feed = $this->lakeFeed('loads', 'updated_at', ['id'], Landing::Upsert, [], ['treatment' => Treatment::fromArray(['failing' => 'set_aside', 'otherwise' => 'land', 'forks' => [['when' => 'kg < 100', 'landed' => 'gate.light']]])]);
        $names = $feed->landedTable()->tables();
        self::assertSame(['', 'light'], array_keys($names));
        $session = RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-loads', 1));
        $line = static fn (int $id, int $kg): string => "{$id}\t{$kg}\tc\t2026-01-01\t2026-01-01 00:00:00+00\n";
        $at = $session->position();
        $batch = static fn (string $own, string $light, string $gone = ''): Batch => new Batch($feed->landedTable()->shape, $own, new Stretch($at, $at, null, true), 0, 0, ['light' => $light], $gone);
        $session->again($batch($line(1, 500).$line(2, 600), $line(3, 5)), 1);
        $receipt = $session->again($batch($line(3, 700), $line(1, 4), "2\n"), 1);
        $session->close();
        self::assertSame([2, 3], [$receipt->inserted, $receipt->deleted]);
        self::assertSame([[['id' => '3']], [['id' => '1']]], [$this->inLake('SELECT id FROM gate.loads'), $this->inLake('SELECT id FROM gate.light')]);
        $session = RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-loads', 1));
        $left = $session->again($batch('', '', "3\n"), 1);
        $session->close();
        self::assertSame([0, 1, '0', '1'], [$left->inserted, $left->deleted, (string) $this->lake->count(new TableName('gate', 'loads')), (string) $this->lake->count(new TableName('gate', 'light'))]);
    }

    #[Test]
    public function an_older_token_cannot_commit_and_what_it_or_a_killed_worker_wrote_is_swept(): void
    {
        $this->loads(50);
        $feed = $this->lakeFeed('loads', 'updated_at', ['id']);
        $old = RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-loads', 1));
        $plan = $this->source->plan($feed, $old->position(), null);
        $reader = $this->source->reader($feed, $plan);
        $batch = $reader->next();
        self::assertNotNull($batch);
        $new = RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-loads', 2));
        try {
            $old->land($batch, 1, SteadyClock::seconds());
            $old->settle();
            self::fail('It committed.');
        } catch (LeaseLost) {
            self::assertSame(0, $this->lake->count($feed->destination->table));
            self::assertSame([], $this->dataFiles());
        }
        $new->close();
        $killed = 'gate/loads/'.Page::prefix('feed-loads', 1, 2).'-0-0.parquet';
        (new LocalFolder('lake', $this->path))->create($killed, 'PAR1');
        self::assertCount(1, $this->dataFiles());
        $this->expectException(LeaseLost::class);
        try {
            $this->carry($feed, 3, $this->lake);
            self::assertSame(50, $this->lake->count($feed->destination->table));
            self::assertSame($this->counted('gate.loads'), array_map(static fn (string $n): string => substr($n, 2), $this->dataFiles()), 'no orphan is left');
        } finally {
            RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-loads', 2));
        }
    }

    #[Test]
    public function what_an_older_worker_was_making_is_cleared_away_and_it_is_told_why(): void
    {
        $this->loads(50);
        $feed = $this->lakeFeed('loads', 'updated_at', ['id']);
        $old = RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-loads', 1));
        $batch = $this->source->reader($feed, $this->source->plan($feed, $old->position(), null))->next();
        self::assertNotNull($batch);
        $old->land($batch, 1, SteadyClock::seconds());
        RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-loads', 2))->close();
        $this->expectException(LeaseLost::class);
        $old->settle();
    }

    #[Test]
    public function a_worker_that_goes_on_without_its_lease_disturbs_nothing_of_the_next(): void
    {
        $this->loads(5000);
        foreach ([Landing::Upsert, Landing::Append] as $landing) {
            $feed = $this->lakeFeed('loads', 'updated_at', ['id'], $landing, [], ['name' => "loads {$landing->value}", 'landed' => new TableName('gate', "loads_{$landing->value}")]);
            $batches = function (RowDelivery $session) use ($feed): array {
                $reader = $this->source->reader($feed, $this->source->plan($feed, $session->position(), null));
                for ($read = []; ($batch = $reader->next()) !== null; $read[] = $batch) {
                    continue;
                }

                return $read;
            };
            $old = RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-'.$landing->value, 1));
            $before = $batches($old);
            $this->gate->run('UPDATE loads SET kg = kg + 1');
            $new = RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-'.$landing->value, 2));
            array_map(static fn (Batch $b) => $new->land($b, 1, SteadyClock::seconds()), $batches($new));
            try {
                // Its batches come only now, and it does not know yet that its lease has run out.
                array_map(static fn (Batch $b) => $old->land($b, 1, SteadyClock::seconds()), $before);
                $old->settle();
                self::fail('It committed.');
            } catch (LeaseLost) {
                self::assertSame(0, $this->lake->count($feed->destination->table));
            }
            $old->close();
            $new->settle();
            $new->close();
            self::assertSame(array_map(array_values(...), $this->gate->rows('SELECT id, kg, code FROM loads ORDER BY id')), $this->lake->query("SELECT id, kg, code FROM {$feed->destination->table} ORDER BY id", 10_000, 60)->rows);
        }
        self::assertSame([], array_filter((new LocalFolder('lake', $this->path))->files('_lighterman/work'), static fn (string $n): bool => ! str_contains($n, '/2/')));
    }

    #[Test]
    public function a_lease_that_is_lost_in_the_middle_of_the_work_ends_it_and_nothing_is_left(): void
    {
        $this->loads(2000);
        $feed = $this->lakeFeed('loads', 'updated_at', ['id']);
        $session = RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-loads', 1, static fn () => throw LeaseLost::to(2, 1)));
        $reader = $this->source->reader($feed, $this->source->plan($feed, $session->position(), null));
        try {
            while ($batch = $reader->next()) {
                $session->land($batch, 1, SteadyClock::seconds());
            }
            $session->settle();
            self::fail('It landed.');
        } catch (LeaseLost) {
            $session->close();
        }
        self::assertSame([[], 0], [(new LocalFolder('lake', $this->path))->files('gate'), $this->lake->count($feed->destination->table)]);
    }

    #[Test]
    public function a_lake_that_is_not_mounted_is_not_taken_for_an_empty_one(): void
    {
        $this->loads(10);
        $feed = $this->lakeFeed('loads', null, ['id'], Landing::Replace);
        rename($this->path, "{$this->path}.away");
        try {
            $this->carry($feed, into: $this->lake);
            self::fail('It landed.');
        } catch (SystemTrouble $trouble) {
            self::assertSame(['no_folder', true], [$trouble->reason->value, $trouble->mayPass()]);
            self::assertDirectoryDoesNotExist($this->path);
        } finally {
            rename("{$this->path}.away", $this->path);
        }
        $this->carry($feed, into: $this->lake);
        self::assertSame(10, $this->lake->count($feed->destination->table));
    }

    #[Test]
    public function files_that_were_replaced_go_once_nobody_can_be_reading_them(): void
    {
        $this->loads(50);
        $feed = $this->lakeFeed('loads', null, ['id'], Landing::Replace);
        $this->carry($feed, into: $this->lake);
        $this->carry($feed, into: $this->lake);
        self::assertCount(2, $this->dataFiles());
        $page = $this->ledger()->last('feeds/feed-loads')->feeds['feed-loads'] ?? null;
        self::assertNotNull($page);
        $later = $page->landed($page->receipts[0], $page->tables, time() + Page::GRACE + 1, 5);
        self::assertSame([], $later->retired);
        $this->lake->discard('feed-loads');
        self::assertSame([[], []], [$this->dataFiles(), $this->lake->tables()]);
    }

    #[Test]
    public function what_cannot_be_landed_is_said_and_nothing_is_half_done(): void
    {
        $this->gate->run("CREATE TABLE odd (id int PRIMARY KEY, n numeric(8,2)); INSERT INTO odd VALUES (1, 1), (2, 'NaN')");
        $feed = $this->lakeFeed('odd', null, ['id'], Landing::Replace);
        try {
            $this->carry($feed, into: $this->lake);
            self::fail('It landed.');
        } catch (SystemTrouble $trouble) {
            self::assertSame('unfit_value', $trouble->reason->value);
            self::assertStringContainsString('NaN', $trouble->getMessage());
        }
        self::assertSame([0, []], [$this->lake->count($feed->destination->table), $this->dataFiles()]);

        $this->loads(10);
        mkdir("{$this->path}/gate/loads", 0777, true);
        file_put_contents("{$this->path}/gate/loads/theirs.parquet", 'x');
        self::assertStringContainsString('has files that Lighterman did not write', $this->lake->prepare($this->lakeFeed('loads', null, ['id'])->landedTable())->obstacles()[0]->said);
        foreach (['month(kg)' => 'cannot be parted by month', 'nothing' => 'has no column "nothing"', 'week(arrived_on)' => 'does not name a partition'] as $partition => $said) {
            try {
                $this->lakeFeed('loads', null, ['id'], Landing::Upsert, [$partition]);
                self::fail($partition);
            } catch (InvalidDefinition|\InvalidArgumentException $e) {
                self::assertStringContainsString($said, $e->getMessage());
            }
        }
        self::assertSame('failed', (new \Lighterman\Connectors\Lake\LakeTarget(new \Lighterman\Connectors\Lake\LakeSettings('lake', '/nowhere/lake', 64, 1, '/tmp')))->check()[0]->result);
        self::assertSame(['passed', 'passed'], array_map(static fn ($f): string => $f->result, $this->lake->check()), $this->lake->check()[1]->said);
    }

    #[Test]
    public function a_query_reaches_the_lakes_tables_and_nothing_else(): void
    {
        $this->loads(20);
        $this->carry($this->lakeFeed('loads', null, ['id']), into: $this->lake);
        $result = $this->lake->query('SELECT code, count(*) AS n, sum(kg) AS kg FROM gate.loads GROUP BY 1 ORDER BY 1 -- by code', 3, 20);
        self::assertSame([['c0', '2', '42'], ['c1', '3', '48'], ['c2', '3', '54']], $result->rows);
        self::assertTrue($result->cut);
        self::assertSame([['name' => 'code', 'type' => 'text', 'numeric' => false], ['name' => 'n', 'type' => 'int64', 'numeric' => true]], array_slice($result->columns, 0, 2));
        foreach ([
            "SELECT * FROM read_text('/etc/passwd')" => 'read_text may read anything', "SELECT * FROM read_csv('{$this->path}/../../../etc/passwd')" => 'read_csv may read anything', "SELECT * FROM glob('/*')" => 'glob may read anything',
            "SELECT (SELECT content FROM READ_TEXT('{$this->path}/_lighterman/x')) FROM gate.loads" => 'may read anything', "SELECT * FROM '{$this->path}/gate/loads/x.parquet'" => 'is no table of this lake', "WITH a AS (SELECT * FROM query('SELECT 1')) SELECT * FROM a" => 'query may read anything', 'SELECT * FROM duckdb_settings()' => 'may read anything', 'SELECT * FROM information_schema.tables' => 'is no table of this lake', 'PIVOT gate.loads ON code USING count(*)' => 'Only one statement',
            "ATTACH '/tmp/other.db'" => 'Only a query', 'INSTALL httpfs' => 'Only a query', "COPY (SELECT 1) TO '{$this->path}/x.csv'" => 'Only a query', "SET memory_limit = '9GB'" => 'Only a query',
            'SELECT 1; DROP VIEW gate.loads' => 'Only one statement', "SELECT * FROM read_parquet('https://example.org/x.parquet')" => 'read_parquet may read anything', 'CREATE TABLE x (a int)' => 'Only a query', '' => 'nothing to run',
            'SELECT list(range) FROM range(100000000)' => 'Out of Memory', 'SELECT * FROM gate.nothing' => 'gate.nothing is no table of this lake',
        ] as $sql => $said) {
            try {
                $this->lake->query($sql, 10, 30);
                self::fail($sql);
            } catch (SystemTrouble $trouble) {
                self::assertStringContainsString($said, $trouble->getMessage(), $sql);
            }
        }
        self::assertFileDoesNotExist("{$this->path}/x.csv");
        $begun = microtime(true);
        try {
            $this->lake->query('SELECT count(*) FROM range(1000000000) a, range(1000000) b WHERE hash(a, b) = 1', 10, 1);
            self::fail('It ended.');
        } catch (SystemTrouble $trouble) {
            self::assertSame('too_long', $trouble->reason->value);
            self::assertLessThan(5, microtime(true) - $begun);
        }
    }
}
