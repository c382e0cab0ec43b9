<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Files\FilesSettings;
use Lighterman\Connectors\Files\FilesSource;
use Lighterman\Connectors\Lake\BookPage;
use Lighterman\Connectors\Lake\LakeSettings;
use Lighterman\Connectors\Lake\LakeTarget;
use Lighterman\Connectors\Lake\Ledger;
use Lighterman\Connectors\Lake\Page;
use Lighterman\Connectors\Objects\Fetched;
use Lighterman\Connectors\Objects\ObjectStore;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Stamps;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Position\StartPosition;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Tests\Definition\Definitions;
use Lighterman\Core\Trouble\FileTrouble;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\StatementTrouble;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;

/** A lake in an object store, and files taken from one. */
final class ObjectStoreTest extends LakeCase
{
    private StandInStore $store;

    private LakeSettings $settings;

    protected function setUp(): void
    {
        parent::setUp();
        $this->store = new StandInStore;
        $this->settings = new LakeSettings('lake', $this->store->at('lake/of cider'), 160, 2, "{$this->path}/here");
        $this->lake = new LakeTarget($this->settings);
    }

    protected function tearDown(): void
    {
        unset($this->store);
        parent::tearDown();
    }

    /** @return list<string> objects of tables that are in the store */
    private function objects(): array
    {
        return array_values(array_filter($this->settings->folder()->files(''), static fn (string $n): bool => ! str_starts_with($n, Ledger::FOLDER)));
    }

    #[Test]
    public function deliveries_commit_merge_and_are_queried_by_the_partitions_that_are_needed(): void
    {
        foreach ([[], ['format' => 'avro'], ['format' => 'jsonl', 'packed' => 'gzip']] as $n => $as) {
            $table = "loads{$n}";
            $this->gate->run("CREATE TABLE {$table} (id int PRIMARY KEY, kg int, on_day date NOT NULL, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO {$table} SELECT g, g, DATE '2026-01-01' + g % 90, now() - interval '1 day' FROM generate_series(1, 900) g");
            $feed = $this->lakeFeed($table, 'updated_at', ['id'], Landing::Upsert, ['month(on_day)'], ['writing' => FileWriting::fromArray($as)]);
            $this->carry($feed, into: $this->lake);
            $this->gate->run("UPDATE {$table} SET kg = -1, updated_at = clock_timestamp() WHERE on_day = '2026-02-03'; INSERT INTO {$table} VALUES (5000, 1, '2026-02-03')");
            $this->settle();
            $receipts = $this->carry($feed, into: $this->lake);
            self::assertSame([1, 10], [self::total($receipts, 'inserted'), self::total($receipts, 'updated')]);
            exec('rm -rf '.escapeshellarg("{$this->path}/here"));
            mkdir("{$this->path}/here");
            $result = $this->lake->query("SELECT count(*), sum(kg) FROM gate.{$table} WHERE on_day_month = '2026-02'", 10, 60);
            self::assertSame([array_values($this->gate->rows("SELECT count(*), sum(kg) FROM {$table} WHERE to_char(on_day, 'YYYY-MM') = '2026-02'")[0]), [1, 3]], [$result->rows[0], $result->files]);
            $fetched = glob("{$this->path}/here/objects-*/gate/{$table}/*/*") ?: [];
            self::assertCount(1, $fetched, 'only what the query needs is fetched');
            self::assertSame($this->gate->value("SELECT sum(kg) FROM {$table}"), $this->lake->query("SELECT sum(kg) FROM gate.{$table}", 10, 60)->rows[0][0]);
            self::assertSame('-1', $this->lake->row(new TableName('gate', $table), ['id' => '33'])['kg'] ?? null);
        }
        self::assertSame([], glob("{$this->path}/here/query-*"), 'queries leave nothing behind');
    }

    #[Test]
    public function an_older_worker_cannot_take_a_page_and_what_it_or_a_killed_one_made_is_swept(): void
    {
        $this->gate->run('CREATE TABLE loads (id int PRIMARY KEY); INSERT INTO loads SELECT g FROM generate_series(1, 50) g');
        $feed = $this->lakeFeed('loads', null, ['id'], Landing::Replace);
        $old = RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-loads', 1));
        $batch = $this->source->reader($feed, $this->source->plan($feed, $old->position(), null))->next();
        self::assertNotNull($batch);
        RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed('feed-loads', 2))->close();
        try {
            $old->land($batch, 1, SteadyClock::seconds());
            self::fail('It committed.');
        } catch (LeaseLost) {
            self::assertSame([], $this->objects());
        }
        $this->settings->folder()->create('gate/loads/'.Page::prefix('feed-loads', 1, 2).'-0-0.parquet', 'PAR1');
        self::assertCount(1, $this->objects());
        $this->carry($feed, 3, $this->lake);
        self::assertSame($this->counted('gate.loads'), $this->objects());
        $this->lake->discard('feed-loads');
        self::assertSame([[], []], [$this->objects(), $this->lake->tables()]);
    }

    #[Test]
    public function the_last_pages_of_many_books_are_read_together(): void
    {
        $folder = $this->settings->folder();
        $ledger = new Ledger($folder);
        for ($n = 0; $n < 40; $n++) {
            for ($page = BookPage::first(BookPage::ofFeed("feed-{$n}"))->claimed($n, 0); $page->number <= 1 + $n % 8; $page = $page->claimed($n, 0)) {
                $ledger->write($page);
            }
        }
        $pages = [];
        foreach ($ledger->all() as $page) {
            $pages[$page->feed] = [$ledger->last(BookPage::ofFeed($page->feed))?->number, $page->token];
        }
        ksort($pages, SORT_NATURAL);
        self::assertSame(array_map(static fn (int $n): array => [1 + $n % 8, $n], range(0, 39)), array_values($pages));
        $this->store->failNext(2);
        self::assertSame(['_lighterman/none' => null], $folder->readAll(['_lighterman/none']));
        $this->store->failNext(50);
        $this->expectExceptionMessage('says SlowDown');
        $folder->readAll(['_lighterman/none']);
    }

    #[Test]
    public function large_objects_come_in_parts_and_a_busy_store_is_asked_again(): void
    {
        $this->gate->run("CREATE TABLE large (id int PRIMARY KEY, t text); INSERT INTO large SELECT g, (SELECT string_agg(md5(random()::text || g || i), '') FROM generate_series(1, 40) i) FROM generate_series(1, 20000) g");
        $feed = $this->lakeFeed('large', null, ['id'], Landing::Replace, [], ['writing' => FileWriting::fromArray(['packed' => 'none', 'fixed_name' => 'all'])]);
        $this->store->failNext(2);
        $this->carry($feed, into: $this->lake);
        $file = $this->lake->tables()['gate.large']->files[0];
        self::assertGreaterThan(16 << 20, $file->bytes);
        self::assertEqualsCanonicalizing([$file->name, 'gate/large/all.parquet'], $this->objects());
        exec('rm -rf '.escapeshellarg("{$this->path}/here"));
        mkdir("{$this->path}/here");
        self::assertSame([$this->gate->value('SELECT sum(length(t)) FROM large')], $this->lake->query('SELECT sum(length(t)) FROM gate.large', 10, 60)->rows[0]);
        $parts = 0;
        copy($this->settings->folder()->local($file->name), "{$this->path}/again");
        $this->settings->folder()->place("{$this->path}/again", 'again/again.parquet', function () use (&$parts): void {
            $parts++;
        });
        self::assertGreaterThanOrEqual(intdiv($file->bytes, 16 << 20), $parts, 'a lease can be renewed between the parts');
        $this->store->failNext(50);
        $this->expectExceptionMessage('says SlowDown');
        $this->lake->tables();
    }

    #[Test]
    public function a_write_that_is_answered_as_done_and_was_not_counts_for_nothing(): void
    {
        $this->gate->run("CREATE TABLE t (id int PRIMARY KEY, n int, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO t SELECT g, 0, now() - interval '1 day' FROM generate_series(1, 50) g");
        $feed = $this->lakeFeed('t', 'updated_at', ['id']);
        $token = 1;
        for ($after = 0; $after < 5; $after++) {
            $this->gate->run("UPDATE t SET n = n + 1, updated_at = clock_timestamp() WHERE id % 5 = {$after}");
            $this->settle();
            $this->store->failPut($after);
            try {
                $this->carry($feed, $token++, $this->lake);
            } catch (SystemTrouble $trouble) {
                self::assertTrue($trouble->mayPass(), $trouble->getMessage());
            }
            @unlink("{$this->store->folder}/.fail-put");
            $this->carry($feed, $token++, $this->lake);
            self::assertSame(array_map(array_values(...), $this->gate->rows('SELECT id, n FROM t ORDER BY id')), $this->lake->query('SELECT id, n FROM gate.t ORDER BY id', 100, 30)->rows, "after {$after}");
        }
    }

    #[Test]
    public function what_keeps_a_store_from_being_used_is_said(): void
    {
        $check = fn (ObjectStore $store): array => array_map(static fn ($f): string => "{$f->result}: {$f->said}", (new LakeTarget(new LakeSettings('lake', $store, 160, 2, "{$this->path}/here")))->check());
        self::assertSame(['passed', 'passed', 'passed'], array_map(static fn (string $s): string => strtok($s, ':') ?: '', $check($this->store->at('lake'))));
        self::assertSame([], $this->settings->folder()->files(Ledger::FOLDER), 'a test leaves nothing behind');
        foreach ([[$this->store->at(secret: 'wrong'), 'refuses it (SignatureDoesNotMatch)'], [$this->store->at(bucket: 'perry'), 'has no bucket perry'], [new ObjectStore('http://127.0.0.1:1', 'us-east-1', 'cider', '', 'press', 'x'), 'does not answer']] as [$store, $said]) {
            $told = $check($store);
            self::assertCount(1, $told);
            self::assertStringStartsWith('failed', $told[0]);
            self::assertStringContainsString($said, $told[0]);
            self::assertStringNotContainsString('invented-secret', $told[0]);
            $files = (new FilesSource(new FilesSettings('drop', $store, 160, 2, "{$this->path}/here")))->check();
            self::assertStringContainsString($said, $files[0]->said);
        }
    }

    #[Test]
    public function files_are_taken_from_a_store(): void
    {
        $store = $this->store->at('drop');
        $put = $store->files();
        $put->write('must/must-1.csv', "sample;ph\na;3,5\nb;oops\nc;3,7\n");
        $put->write('must/must-2.csv.gz', (string) gzencode("sample;ph\nd;3,9\n"));
        $put->write('harvest/year=2024/part-0.parquet', (string) file_get_contents(dirname(__DIR__, 2).'/demo/lab-drop/archive/harvest/year=2024/part-0.parquet'));
        $put->write('_hidden/x.csv', 'x');
        $source = new FilesSource(new FilesSettings('drop', $store, 160, 2, "{$this->path}/here"));
        self::assertSame(['harvest/year=*/part-*.parquet', 'must/must-*.csv', 'must/must-*.csv.gz'], array_map(static fn ($e): string => $e->table->name, $source->catalogue()));
        self::assertSame('passed: 3 files in formats that can be read: 1 Parquet, 2 Delimited text.', implode(': ', [$source->check()[1]->result, $source->check()[1]->said]));
        foreach (['must/must-*.csv*' => ['a 3.5', 'c 3.7', 'd 3.9'], 'harvest/year=*/part-*.parquet' => null] as $pattern => $expected) {
            $table = new TableName(FilesSource::SCHEMA, $pattern);
            $facts = $source->facts($table, files: ['types' => $expected === null ? [] : ['ph' => 'decimal(5,2)'], 'quiet_seconds' => 0])->files ?? self::fail();
            $feed = Definitions::of('drop', $table, $facts->shape, Capture::Files, [], Landing::Append, new TableName('lab', $expected === null ? 'harvest' : 'must'), stamps: new Stamps(null, null), files: $facts->reading);
            $plan = $source->plan($feed, new StartPosition, null);
            usleep(1_100_000);
            $plan = $plan->files->growing === [] ? $plan : $source->plan($feed, new StartPosition, null);
            $reader = $source->reader($feed, $plan);
            $rows = [];
            while ($batch = $reader->next()) {
                foreach ($batch->decoded() as $row) {
                    $rows[] = "{$row[0]} {$row[1]}";
                }
            }
            $reader->close();
            $expected === null ? self::assertGreaterThan(100, count($rows)) : self::assertSame($expected, $rows);
            self::assertSame(count($rows), $source->count($feed));
        }
    }

    /** @return list<string> rows of files in a store, read as a feed of capture files or reload reads them */
    private function rowsOf(FilesSource $source, FeedDefinition $feed): array
    {
        $reader = $source->reader($feed, $source->plan($feed, new StartPosition, null));
        $rows = [];
        while ($batch = $reader->next()) {
            foreach ($batch->decoded() as $row) {
                $rows[] = (string) $row[0];
            }
        }
        $reader->close();

        return $rows;
    }

    #[Test]
    public function a_file_whose_reading_breaks_off_at_the_end_of_a_line_is_not_taken_for_whole(): void
    {
        $put = $this->store->at('drop')->files();
        $text = "sample;ph\n".implode('', array_map(static fn (int $n): string => "{$n};3,5\n", range(1, 60_000)));
        $put->write('must/must-1.csv', $text);
        $source = new FilesSource(new FilesSettings('drop', $this->store->at('drop'), 160, 2, "{$this->path}/here"));
        $table = new TableName(FilesSource::SCHEMA, 'must/must-*.csv');
        $facts = $source->facts($table, files: ['quiet_seconds' => 0])->files ?? self::fail();
        $feed = Definitions::of('drop', $table, $facts->shape, Capture::Files, [], Landing::Append, new TableName('lab', 'must'), stamps: new Stamps(null, null), files: $facts->reading);
        usleep(1_100_000);
        $this->store->cut((int) strpos($text, '30001;'), 1);
        try {
            $this->rowsOf($source, $feed);
            self::fail('Half of the file was taken for the whole.');
        } catch (FileTrouble $trouble) {
            self::assertSame([Reason::CutShort, true], [$trouble->reason, $trouble->mayPass()]);
            self::assertStringContainsString('drop: of must/must-1.csv '.strpos($text, '30001;').' of '.strlen($text).' bytes came', $trouble->getMessage());
        }
        self::assertCount(60_000, $this->rowsOf($source, $feed));
    }

    /** As long as it is, and yet not what the store has. */
    #[Test]
    public function what_comes_with_other_bytes_than_its_checksum_is_of_is_not_taken(): void
    {
        $put = $this->store->at('drop')->files();
        $put->write('must/must-1.csv', 'sample;ph
'.implode('', array_map(static fn (int $n): string => "{$n};3,5
", range(1, 5_000))));
        $source = new FilesSource(new FilesSettings('drop', $this->store->at('drop'), 160, 2, "{$this->path}/here"));
        $table = new TableName(FilesSource::SCHEMA, 'must/must-*.csv');
        $facts = $source->facts($table, files: ['quiet_seconds' => 0])->files ?? self::fail();
        $feed = Definitions::of('drop', $table, $facts->shape, Capture::Files, [], Landing::Append, new TableName('lab', 'must'), stamps: new Stamps(null, null), files: $facts->reading);
        usleep(1_100_000);
        $this->store->alter(1);
        try {
            $this->rowsOf($source, $feed);
            self::fail('Another file than the one that is there was taken.');
        } catch (FileTrouble $trouble) {
            self::assertSame([Reason::Altered, true], [$trouble->reason, $trouble->mayPass()]);
            self::assertStringContainsString('drop: must/must-1.csv came with other bytes than its checksum is of', $trouble->getMessage());
        }
        self::assertCount(5_000, $this->rowsOf($source, $feed));

        // An object that is fetched whole is begun anew.
        $into = tmpfile();
        self::assertIsResource($into);
        $this->store->alter(2);
        $this->store->at('drop')->fetch('drop', 'must/must-1.csv', $into);
        self::assertSame($put->checksum('must/must-1.csv', ['checksum_algo' => 'sha256']), hash_file('sha256', stream_get_meta_data($into)['uri']));
        $this->store->alter(3);
        $this->expectExceptionMessage('drop/must/must-1.csv came with other bytes than its checksum is of');
        $this->store->at('drop')->fetch('drop', 'must/must-1.csv', $into);
    }

    #[Test]
    public function a_file_is_gone_only_if_the_store_says_so_and_what_replaces_a_table_needs_all_of_them(): void
    {
        $put = $this->store->at('drop')->files();
        foreach ([1, 2, 3, 4] as $n) {
            $put->write("must/must-{$n}.csv", "sample;ph\n{$n};3,5\n");
        }
        $source = new FilesSource(new FilesSettings('drop', $this->store->at('drop'), 160, 2, "{$this->path}/here"));
        $table = new TableName(FilesSource::SCHEMA, 'must/must-*.csv');
        $facts = $source->facts($table, files: ['quiet_seconds' => 0])->files ?? self::fail();
        $feed = Definitions::of('drop', $table, $facts->shape, Capture::Reload, [], Landing::Replace, new TableName('lab', 'must'), stamps: new Stamps(null, null), files: $facts->reading);
        $plan = $source->plan($feed, new StartPosition, null);
        $this->store->failHead(20);
        try {
            $source->reader($feed, $plan)->next();
            self::fail('It went on without a file.');
        } catch (StatementTrouble $trouble) {
            self::assertTrue($trouble->mayPass());
        }
        $this->store->failHead(0);
        $put->delete('must/must-3.csv');
        try {
            $source->reader($feed, $plan)->next();
            self::fail('It went on without a file.');
        } catch (FileTrouble $trouble) {
            self::assertSame('must/must-3.csv was removed while it was read.', $trouble->getMessage());
        }
        self::assertSame(['1', '2', '4'], $this->rowsOf($source, $feed));
    }

    #[Test]
    public function a_lake_never_rewrites_a_file_from_a_copy_that_is_short(): void
    {
        foreach (['jsonl', 'delimited', 'avro', 'parquet'] as $format) {
            $this->gate->run("CREATE TABLE {$format} (id int PRIMARY KEY, t text, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO {$format} SELECT g, md5(g::text), now() - interval '1 day' FROM generate_series(1, 5000) g");
            $feed = $this->lakeFeed($format, 'updated_at', ['id'], Landing::Upsert, [], ['writing' => FileWriting::fromArray(['format' => $format, 'packed' => 'none'])]);
            $this->carry($feed, into: $this->lake);
            $whole = $this->lake->query("SELECT count(*), min(id), max(id) FROM gate.{$format}", 10, 60)->rows[0];
            $this->gate->run("UPDATE {$format} SET t = 'new', updated_at = clock_timestamp() WHERE id IN (7, 4000)");
            $this->settle();
            exec('rm -rf '.escapeshellarg("{$this->path}/here").' && mkdir '.escapeshellarg("{$this->path}/here"));
            // Three answers are tried; after the fourth it may go well.
            $this->store->cut(60_000, 4);
            try {
                $this->carry($feed, 2, $this->lake);
                self::fail("{$format}: it was written from a part of the file.");
            } catch (SystemTrouble $trouble) {
                self::assertTrue($trouble->mayPass(), $trouble->getMessage());
                self::assertStringContainsString('60000 of ', $trouble->getMessage());
            }
            self::assertSame(2, self::total($this->carry($feed, 3, $this->lake), 'updated'));
            self::assertSame([$whole, ['2']], [$this->lake->query("SELECT count(*), min(id), max(id) FROM gate.{$format}", 10, 60)->rows[0], $this->lake->query("SELECT count(*) FROM gate.{$format} WHERE t = 'new'", 10, 60)->rows[0]]);
            // A copy on this machine that was shortened by whatever it was.
            foreach (glob("{$this->path}/here/objects-*/gate/{$format}/*") ?: [] as $copy) {
                file_put_contents($copy, substr((string) file_get_contents($copy), 0, 1000));
            }
            self::assertSame($whole, $this->lake->query("SELECT count(*), min(id), max(id) FROM gate.{$format}", 10, 60)->rows[0], 'it is fetched anew');
        }
    }

    #[Test]
    public function what_was_fetched_the_longest_ago_goes_first_and_nothing_that_is_in_use(): void
    {
        $folder = "{$this->path}/fetched";
        foreach (['old' => 9000, 'older' => 20_000, 'young' => 5000, 'in use' => 10] as $name => $ago) {
            is_dir($folder) || mkdir($folder);
            file_put_contents("{$folder}/{$name}", str_repeat('x', 1000));
            touch("{$folder}/{$name}", time() - $ago);
        }
        $fetched = new Fetched($folder, 2500);
        self::assertSame("{$folder}/a/new", $fetched->path('a/new', static fn ($into) => fwrite($into, 'new')));
        self::assertSame(['a', 'in use', 'young'], array_values(array_diff(scandir($folder) ?: [], ['.', '..'])));
        self::assertSame('new', file_get_contents($fetched->path('a/new', static fn () => self::fail('It is here.'))));
        $this->expectException(SystemTrouble::class);
        try {
            $fetched->path('b', static fn () => throw StatementTrouble::store('x', 'x', answers: true));
        } finally {
            self::assertFileDoesNotExist("{$folder}/b");
            self::assertSame([], glob("{$folder}/*.new"));
        }
    }
}
