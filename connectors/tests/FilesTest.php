<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Files\FilesSettings;
use Lighterman\Connectors\Files\FilesSource;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\Avro\Writer as AvroWriter;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Stamps;
use Lighterman\Core\Port\BrokenFile;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\Sampling;
use Lighterman\Core\Port\TakenFiles;
use Lighterman\Core\Position\FileMark;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Record\Unreadable;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Tests\Definition\Definitions;
use Lighterman\Core\Trouble\InvalidDefinition;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;

/** Files of every format, good and bad, into PostgreSQL. */
final class FilesTest extends PostgresCase implements TakenFiles
{
    private string $path;

    private FilesSource $files;

    /** @var array<string, FileMark> */
    private array $taken = [];

    /** @var array<string, true> */
    private array $asked = [];

    /** @var list<Unreadable> */
    private array $unreadable = [];

    protected function setUp(): void
    {
        parent::setUp();
        $this->path = sys_get_temp_dir().'/drop-'.bin2hex(random_bytes(5));
        mkdir($this->path);
        $this->files = new FilesSource(new FilesSettings('lab drop', $this->path, 160, 2, "{$this->path}.spill"));
    }

    protected function tearDown(): void
    {
        exec('rm -rf '.escapeshellarg($this->path));
        parent::tearDown();
    }

    public function known(array $paths): array
    {
        return array_intersect_key($this->taken, array_flip($paths));
    }

    /** @var array<string, array{FileMark, string}> files ahead of the clock, and since when they are as they are */
    private array $ahead = [];

    public function now(): string
    {
        return gmdate('Y-m-d\TH:i:s\Z');
    }

    public function steadySince(array $recent, string $now): array
    {
        $was = $this->ahead;
        $this->ahead = [];
        foreach ($recent as $file) {
            $this->ahead[$file->path] = isset($was[$file->path]) && $was[$file->path][0]->isSame($file) ? $was[$file->path] : [$file, $now];
        }

        return array_map(static fn (array $a): string => $a[1], $this->ahead);
    }

    public function asked(): array
    {
        return $this->asked;
    }

    private function leave(string $path, string $contents, int $ago = 60): void
    {
        is_dir(dirname("{$this->path}/{$path}")) || mkdir(dirname("{$this->path}/{$path}"), 0777, true);
        file_put_contents("{$this->path}/{$path}", $contents);
        touch("{$this->path}/{$path}", time() - $ago);
    }

    /**
     * @param  array<string, mixed>  $said
     * @param  list<string>  $key
     */
    private function drop(string $pattern, array $said = [], array $key = [], Landing $landing = Landing::Append, Capture $capture = Capture::Files): FeedDefinition
    {
        $table = new TableName(FilesSource::SCHEMA, $pattern);
        $facts = $this->files->facts($table, files: $said)->files ?? throw new \LogicException('Files have facts.');

        return Definitions::of('drop', $table, $facts->shape, $capture, $key, $landing, new TableName('lab', 'drop'), stamps: new Stamps(null, null), files: $facts->reading);
    }

    /**
     * As the worker does: a file that turns out to be broken is refused whole, and the unit read again.
     *
     * @return list<Receipt>
     */
    private function take(FeedDefinition $feed): array
    {
        $this->unreadable = [];
        $session = RowDelivery::open($this->target, $feed->landedTable(), Holder::feed('feed-drop', 1));
        $receipts = $refused = [];
        try {
            $plan = $this->files->plan($feed, $session->position(), null, $this);
            while (! $plan->empty) {
                $reader = $this->files->reader($feed, $plan);
                $seen = [];
                try {
                    while ($batch = $reader->next()) {
                        $seen = [...$seen, ...$batch->unreadable];
                        $receipt = $session->land($batch->treated($batch->shape, $batch->encoded, 0, 0), 1, SteadyClock::seconds());
                        if ($receipt !== null) {
                            $receipts[] = $receipt;
                            $this->taken = array_merge($this->taken, array_column(array_map(static fn (FileMark $f): array => [$f->path, $f], $receipt->to->files()), 1, 0));
                            $this->unreadable = [...$this->unreadable, ...$seen];
                            $seen = [];
                        }
                    }

                    return $receipts;
                } catch (BrokenFile $broken) {
                    $session->abandon();
                    $refused[$broken->path] = $broken->fault;
                    $plan = $this->files->plan($feed, $session->position(), null, $this)->refusing($refused);
                } finally {
                    $reader->close();
                }
            }

            return $receipts;
        } finally {
            $session->close();
        }
    }

    /** @return list<array<string, string|null>> */
    private function landed(string $columns = '*', string $order = '1'): array
    {
        return $this->house->rows("SELECT {$columns} FROM lab.\"drop\" ORDER BY {$order}");
    }

    #[Test]
    public function decimal_commas_days_first_and_another_encoding_land_as_what_they_mean(): void
    {
        $this->leave('must/must-2026-11-01.csv', mb_convert_encoding("sample;taken_on;sugar_oe;remark\r\nA1;01.11.2026;52,4;très trouble\r\nA2;02.11.2026;49,0;\r\nA3;02.11.2026;;\"cloudy; cold\"\r\n", 'Windows-1252', 'UTF-8'));
        $feed = $this->drop('must/must-*.csv');
        self::assertSame([3], array_map(static fn (Receipt $r): int => $r->inserted, $this->take($feed)));
        self::assertSame([
            ['sample' => 'A1', 'taken_on' => '2026-11-01', 'sugar_oe' => '52.4', 'remark' => 'très trouble', 'source_file' => 'must/must-2026-11-01.csv', 'source_line' => '2'],
            ['sample' => 'A2', 'taken_on' => '2026-11-02', 'sugar_oe' => '49.0', 'remark' => null, 'source_file' => 'must/must-2026-11-01.csv', 'source_line' => '3'],
            ['sample' => 'A3', 'taken_on' => '2026-11-02', 'sugar_oe' => null, 'remark' => 'cloudy; cold', 'source_file' => 'must/must-2026-11-01.csv', 'source_line' => '4'],
        ], $this->landed());
        self::assertSame(['date', 'decimal'], [$this->house->value("SELECT format_type(atttypid, NULL) FROM pg_attribute WHERE attrelid = 'lab.drop'::regclass AND attname = 'taken_on'"), (string) $feed->origin->shape->column('sugar_oe')?->type->kind->value]);
    }

    #[Test]
    public function a_file_is_taken_once_and_later_ones_as_they_come(): void
    {
        $this->leave('a-1.csv', "id,n\n1,10\n2,20\n", 90);
        $feed = $this->drop('a-*.csv');
        self::assertSame(2, self::total($this->take($feed), 'inserted'));
        self::assertSame([], $this->take($feed));
        $this->leave('a-2.csv', "id,n\n3,30\n", 30);
        $this->leave('a-3.csv', "n,id\n40,4\n", 20);
        $this->leave('a-4.csv', "id,n\n5,", 0);
        $this->leave('.a-5.csv', "id,n\n6,60\n");
        self::assertSame(2, self::total($this->take($feed), 'inserted'));
        self::assertSame(['1', '2', '3', '4'], array_column($this->landed('id'), 'id'));
        // It is whole once nobody has written to it for a while.
        $this->leave('a-4.csv', "id,n\n5,50\n", 10);
        self::assertSame(1, self::total($this->take($feed), 'inserted'));
        self::assertSame([['id' => '5', 'n' => '50', 'source_line' => '2']], array_slice($this->landed('id, n, source_line'), 4));
    }

    #[Test]
    public function three_bad_lines_among_many_are_set_aside_with_their_numbers_and_the_good_ones_land(): void
    {
        $lines = ["id;kg;on\n"];
        for ($n = 1; $n <= 100_000; $n++) {
            $lines[] = match ($n) {
                777 => "777;ten;01.11.2026\n", 50_000 => "50000;1,5\n", 99_999 => "99999;2,5;31.02.2026\n", 60_000 => "60000;\xff;01.11.2026\n",
                default => "{$n};".($n % 90).','.($n % 10).';0'.(1 + $n % 9).".11.2026\n",
            };
        }
        $this->leave('kg.csv', implode('', $lines));
        $receipts = $this->take($this->drop('kg.csv'));
        self::assertSame(99_996, self::total($receipts, 'inserted'));
        self::assertSame([[778, 'wrong_type'], [50_001, 'wrong_width'], [60_001, 'invalid_utf8'], [100_000, 'wrong_type']], array_map(static fn (Unreadable $u): array => [$u->number, $u->reason], $this->unreadable));
        self::assertSame(['kg.csv, line 778: kg is no decimal(8,1).', ['777', 'ten', '2026-11-01', 'kg.csv', '778']], [$this->unreadable[0]->message(), $this->unreadable[0]->row]);
        $sum = 0;
        for ($n = 1; $n <= 100_000; $n++) {
            $sum += in_array($n, [777, 50_000, 60_000, 99_999], true) ? 0 : 10 * ($n % 90) + $n % 10;
        }
        self::assertSame([(string) $sum, '100001'], array_values($this->house->rows('SELECT sum(kg * 10)::bigint AS kg, max(source_line) AS line FROM lab."drop"')[0]));
        self::assertSame([99_996, 4], [$this->taken['kg.csv']->rows, $this->taken['kg.csv']->setAside]);
    }

    #[Test]
    public function a_broken_file_is_set_aside_whole_and_the_others_land(): void
    {
        $this->leave('g-1.csv.gz', (string) gzencode("id,n\n1,1\n"), 90);
        $this->leave('g-2.csv.gz', substr((string) gzencode("id,n\n".implode('', array_map(static fn (int $n): string => "{$n},".bin2hex(random_bytes(9))."\n", range(2, 5000)))), 0, -2000), 80);
        $this->leave('g-3.csv.gz', (string) gzencode("id,other\n3,3\n"), 70);
        $this->leave('g-4.csv.gz', (string) gzencode("id,n\n4,4\n").gzencode("5,5\n"), 95);
        $feed = $this->drop('g-*.csv.gz', key: ['id'], landing: Landing::Upsert);
        // What it is like is found out from the newest, which is of another shape here.
        $feed = Definitions::of('drop', $feed->origin->table, new Shape([new Column('id', Type::parse('int64')), new Column('n', Type::parse('text')), ...array_slice($feed->origin->shape->columns, 2)]), Capture::Files, ['id'], Landing::Upsert, $feed->destination->table, stamps: new Stamps(null, null), files: $feed->origin->files);
        self::assertSame(3, self::total($this->take($feed), 'inserted'));
        self::assertSame(['1', '4', '5'], array_column($this->landed('id'), 'id'));
        self::assertSame(['g-2.csv.gz: it ends before it should.', 'g-3.csv.gz: it is of another shape: it lacks "n" and it also has "other".'], array_map(static fn (Unreadable $u): string => $u->message(), $this->unreadable));
        self::assertSame([], $this->take($feed), 'what was set aside is not tried over and over');

        // Once a person asks for it, it is taken again.
        $this->leave('g-2.csv.gz', (string) gzencode("id,n\n2,2\n"), 80);
        $this->asked = ['g-2.csv.gz' => true];
        self::assertSame(1, self::total($this->take($feed), 'inserted'));
    }

    #[Test]
    public function a_file_that_claims_more_than_may_be_held_is_refused_with_its_place_and_stops_nothing(): void
    {
        $this->leave('in/a.csv', "id;t\n1;x\n", 90);
        $feed = $this->drop('in/*.csv*', ['format' => 'delimited']);
        // A few kilobytes each.
        $packing = deflate_init(ZLIB_ENCODING_GZIP, ['level' => 9]) ?: throw new \LogicException('zlib is missing.');
        $bomb = (string) deflate_add($packing, "id;t\n2;y\n3;", ZLIB_NO_FLUSH);
        for ($mb = 0; $mb < 600; $mb++) {
            $bomb .= deflate_add($packing, str_repeat('z', 1 << 20), ZLIB_NO_FLUSH);
        }
        $this->leave('in/b.csv.gz', $bomb.deflate_add($packing, "\n", ZLIB_FINISH), 80);
        $this->leave('in/c.csv', "id;t\n4;w\n", 70);
        memory_reset_peak_usage();
        $this->take($feed);
        self::assertLessThan(200 << 20, memory_get_peak_usage());
        self::assertSame([['id' => '1', 't' => 'x'], ['id' => '4', 't' => 'w']], $this->landed('id, t'));
        self::assertStringContainsString('line 3 is longer than 32 MB', json_encode($this->unreadable, JSON_THROW_ON_ERROR));

        $this->leave('wide/a.csv', implode(';', array_map(static fn (int $n): string => "c{$n}", range(1, 200_000)))."\n".str_repeat(';', 199_999)."\n");
        $this->leave('wide/b.jsonl', '{'.implode(', ', array_map(static fn (int $n): string => "\"c{$n}\": 1", range(1, 20_000)))."}\n");
        foreach (['wide/*.csv', 'wide/*.jsonl'] as $pattern) {
            try {
                $this->drop($pattern);
                self::fail($pattern);
            } catch (SystemTrouble $trouble) {
                self::assertStringContainsString('more than 2,000 columns', $trouble->getMessage());
            }
        }
    }

    #[Test]
    public function a_taken_file_that_changes_does_what_was_chosen(): void
    {
        foreach (['set_aside' => [['1', '10']], 'ignore' => [['1', '10']], 'again' => [['1', '11'], ['2', '20']]] as $changed => $expected) {
            $this->leave('c.csv', "id,n\n1,10\n");
            $feed = $this->drop('c.csv', ['changed' => $changed], ['id'], Landing::Upsert);
            $this->take($feed);
            $this->leave('c.csv', "id,n\n1,11\n2,20\n", 50);
            $this->take($feed);
            self::assertSame($expected, array_map(array_values(...), $this->landed('id, n')), $changed);
            self::assertSame($changed === 'set_aside' ? ['c.csv: it has changed since it was taken.'] : [], array_map(static fn (Unreadable $u): string => $u->message(), $this->unreadable));
            $this->target->discard('feed-drop');
            $this->taken = [];
        }
        // With a checksum, another time alone is no change.
        $feed = $this->drop('c.csv', ['changed' => 'again', 'checksum' => true]);
        $this->take($feed);
        $this->leave('c.csv', "id,n\n1,11\n2,20\n", 20);
        self::assertSame([], $this->take($feed));
        $this->leave('c.csv', "id,n\n1,11\n2,99\n", 20);
        self::assertSame(2, self::total($this->take($feed), 'inserted'));
    }

    #[Test]
    public function a_file_that_is_written_to_while_it_is_read_lands_nothing_of_it(): void
    {
        $this->leave('w.csv', "id,n\n".implode('', array_map(static fn (int $n): string => "{$n},{$n}\n", range(1, 300_000))));
        $feed = $this->drop('w.csv');
        $session = RowDelivery::open($this->target, $feed->landedTable(), Holder::feed('feed-drop', 1));
        $reader = $this->files->reader($feed, $this->files->plan($feed, $session->position(), null, $this));
        $first = $reader->next();
        self::assertFalse($first?->stretch->closes);
        file_put_contents("{$this->path}/w.csv", "1,1\n", FILE_APPEND);
        try {
            while ($reader->next() !== null) {
                continue;
            }
            self::fail('It was read to its end.');
        } catch (SystemTrouble $trouble) {
            self::assertSame(['file_changing', true], [$trouble->reason->value, $trouble->mayPass()]);
        } finally {
            $reader->close();
            $session->close();
        }
        self::assertSame('0', $this->house->value('SELECT count(*) FROM lab."drop"'));
    }

    #[Test]
    public function json_lines_avro_and_parquet_land_and_folders_become_columns(): void
    {
        $this->leave('y/site=Nether%20Mill/y-1.jsonl', "{\"test\": \"a\", \"cells\": 12345678901234567890, \"ok\": true, \"at\": \"2026-11-01T10:00:00Z\", \"strains\": [{\"name\": \"é\"}]}\n{\"test\": \"b\"}\nnot json\n");
        $this->leave('y/site=Nether%20Mill/y-2.jsonl', "{\"test\": \"c\", \"more\": 1}\n", 90);
        $feed = $this->drop('y/site=*/y-*.jsonl');
        self::assertSame(2, self::total($this->take($feed), 'inserted'));
        self::assertSame([[1, 'other_columns'], [3, 'malformed']], array_map(static fn (Unreadable $u): array => [$u->number, $u->reason], $this->unreadable));
        self::assertSame(['a', '12345678901234567890', '[{"name": "é"}]', 'Nether Mill', '1'], array_values($this->landed('test, cells, strains, site, source_line')[0]));
        $this->target->discard('feed-drop');

        $shape = new Shape([new Column('id', Type::parse('int64')), new Column('price', Type::parse('decimal(38,6)')), new Column('day', Type::parse('date')), new Column('raw', Type::parse('bytes')), new Column('what', Type::parse('text'))]);
        $writer = new AvroWriter($shape, 'prices', random_bytes(16));
        $avro = $writer->begin().$writer->row(['1', '99999999999999999999999999999999.999999', '1850-03-15', '\\x00ff', "tab\t\\ line\n"]).$writer->row(['2', null, null, null, '']).$writer->end();
        $this->leave('p-1.avro', $avro, 90);
        $this->leave('p-2.avro', substr($avro, 0, -20), 80);
        $this->take($this->drop('p-*.avro', ['types' => []]));
        self::assertSame([['id' => '1', 'price' => '99999999999999999999999999999999.999999', 'day' => '1850-03-15', 'raw' => '\\x00ff', 'what' => "tab\t\\ line\n", 'source_line' => '1'], ['id' => '2', 'price' => null, 'day' => null, 'raw' => null, 'what' => '', 'source_line' => '2']], $this->landed('id, price, day, raw, what, source_line'));
        self::assertSame(['p-2.avro', 0], [$this->unreadable[0]->file, $this->unreadable[0]->number]);
        $this->target->discard('feed-drop');
        $this->taken = [];

        exec('cp -r '.escapeshellarg(dirname(__DIR__, 2).'/demo/lab-drop/archive/harvest').' '.escapeshellarg($this->path));
        exec('find '.escapeshellarg("{$this->path}/harvest").' -name "*.parquet" -exec touch -d "1 hour ago" {} +');
        file_put_contents("{$this->path}/harvest/year=2025/part-9.parquet", 'PAR1 and nothing else');
        touch("{$this->path}/harvest/year=2025/part-9.parquet", time() - 7200);
        $this->take($this->drop('harvest/year=*/part-*.parquet'));
        self::assertSame(['2023', '2024', '2025'], array_column($this->house->rows('SELECT DISTINCT year FROM lab."drop" ORDER BY 1'), 'year'));
        self::assertSame(['harvest/year=2025/part-9.parquet'], array_map(static fn (Unreadable $u): string => $u->file, $this->unreadable));
    }

    #[Test]
    public function nanoseconds_are_cut_to_the_microsecond_they_are_in(): void
    {
        $engine = new Engine([$this->path], 160, 2, "{$this->path}.spill");
        $engine->run("COPY (SELECT i::int AS id, picked::timestamp_ns AS picked FROM (VALUES (1, '1969-12-31 23:59:59.999999999'), (2, '2026-12-31 23:59:59.999999501'), (3, '2026-01-01 00:00:00'), (4, NULL)) v(i, picked)) TO '{$this->path}/n-1.parquet' (FORMAT parquet)");
        touch("{$this->path}/n-1.parquet", time() - 60);
        $this->take($this->drop('n-*.parquet'));
        self::assertSame(['1969-12-31 23:59:59.999999', '2026-12-31 23:59:59.999999', '2026-01-01 00:00:00', null], array_column($this->house->rows('SELECT picked FROM lab."drop" ORDER BY id'), 'picked'));
    }

    #[Test]
    public function what_was_detected_can_be_overruled(): void
    {
        $this->leave('o.txt', "007|1.234|12/11/2026\n008|2.5|13/11/2026\n");
        $table = new TableName(FilesSource::SCHEMA, 'o.txt');
        $found = $this->files->facts($table)->files;
        self::assertSame(['|', false, ['column_1' => 'text', 'column_2' => 'decimal(8,3)', 'column_3' => 'date']], [$found?->reading->dialect?->delimiter, $found?->reading->dialect?->header, array_map(strval(...), $found->found ?? [])]);
        self::assertSame('date dd/MM/yyyy in 2 of 2', $found->columns['column_3'] ?? '');
        $feed = $this->drop('o.txt', ['header' => false, 'dates' => ['column_3' => 'dd/MM/yyyy'], 'types' => ['column_1' => 'int32', 'column_2' => 'text']]);
        $this->take($feed);
        self::assertSame(['7', '1.234', '2026-11-12'], array_values($this->landed('column_1, column_2, column_3')[0]));
        $this->expectException(InvalidDefinition::class);
        $this->files->facts($table, files: ['types' => ['column_1' => 'number']]);
    }

    #[Test]
    public function what_is_there_is_listed_sampled_counted_and_looked_up(): void
    {
        $this->leave('must/must-1.csv', "sample,n\na,1\nb,2\n", 90);
        $this->leave('must/must-2.csv', "sample,n\nc,3\n", 80);
        $this->leave('notes.docx', 'x');
        $this->leave('_hidden/x.csv', 'x');
        $entries = $this->files->catalogue();
        self::assertSame(['must/must-*.csv', ['sample', 'n', 'source_file', 'source_line'], '2 files, Delimited text, newest must/must-2.csv'], [$entries[0]->table->name, $entries[0]->shape->names(), $entries[0]->comment]);
        self::assertCount(1, $entries);
        self::assertSame(['passed', 'passed'], array_map(static fn ($f): string => $f->result, $this->files->check()));
        self::assertSame(['must/must-2.csv', 'must/must-1.csv'], array_map(static fn ($e): string => $e->table->name, $this->files->each()));
        $feed = $this->drop('must/must-*.csv', key: ['sample'], landing: Landing::Upsert);
        self::assertSame(3, $this->files->count($feed));
        self::assertSame('2', $this->files->row($feed, ['sample' => 'b'])['n'] ?? null);
        self::assertNull($this->files->row($feed, ['sample' => 'x']));
        self::assertSame([['c', '3']], array_map(static fn (array $r): array => array_slice($r, 0, 2), $this->files->some($feed, Sampling::last(), 1)));
        self::assertSame(['b' => '2'], $this->files->lookup($feed->origin->table, new Column('sample', Type::parse('text')), new Column('n', Type::parse('int64')))->fetch(['b', 'x']));
        self::assertNull($this->files->facts($feed->origin->table, ['sample'])->key->duplicate);
        $this->leave('must/must-3.csv', "sample,n\nd,1\nd,2\n,3\n", 70);
        $facts = $this->files->facts($feed->origin->table, ['sample']);
        self::assertSame([['sample' => 'd'], ['sample']], [$facts->key->duplicate, $facts->key->nullable]);
    }

    #[Test]
    public function a_folder_or_file_that_is_not_there_is_said(): void
    {
        $nowhere = new FilesSource(new FilesSettings('lab drop', '/srv/no/such/drop', 64, 1, '/tmp'));
        self::assertSame('failed', $nowhere->check()[0]->result);
        foreach ([[$nowhere, 'a.csv', 'no_folder'], [$this->files, 'never-*.csv', 'no_file'], [$this->files, '../etc/passwd', 'no_pattern'], [$this->files, '/etc/passwd', 'no_pattern']] as [$source, $pattern, $reason]) {
            try {
                $source->shape(new TableName(FilesSource::SCHEMA, $pattern));
                self::fail($pattern);
            } catch (SystemTrouble $trouble) {
                self::assertSame($reason, $trouble->reason->value, $pattern);
            }
        }
        symlink('/etc', "{$this->path}/etc");
        self::assertSame([], $this->files->catalogue(), 'a link leads out of the folder');
        self::assertDirectoryDoesNotExist('/srv/no/such/drop');
    }

    #[Test]
    public function a_reload_reads_every_file_and_replaces_the_table(): void
    {
        $this->leave('r-1.csv', "id,n\n1,1\n", 90);
        $this->leave('r-2.csv', "id,n\n2,2\n", 80);
        $feed = $this->drop('r-*.csv', landing: Landing::Replace, capture: Capture::Reload);
        $this->take($feed);
        unlink("{$this->path}/r-1.csv");
        $this->take($feed);
        self::assertSame(['2'], array_column($this->landed('id'), 'id'));
    }

    #[Test]
    public function what_others_call_a_file_and_how_they_end_its_lines_keeps_no_row_out(): void
    {
        $gzip = (string) gzencode("id,name\n1,Zoë\n2,Ann\n");
        $wide = implode(',', array_map(static fn (int $i): string => "c{$i}", range(1, 700)))."\n".implode(',', range(1, 700))."\n".implode(',', range(2, 701))."\n";
        foreach (['packed.csv' => [$gzip, 2], 'returns.csv' => ["id,name\r1,Zoë\r2,Ann\r", 2], 'unnamed.csv' => ["id,v,\n1,x,2\n2,y,3\n", 2], 'wide.csv' => [$wide, 2], 'blank.csv' => ["note\nx\n\ny\n", 3], 'array.json' => ['[{"id": 1, "v": true}, {"id": 2, "v": "yes"}]', 2], 'utf32.csv' => ["\xFF\xFE\x00\x00".mb_convert_encoding("id,name\n1,Zoë\n2,Ann\n", 'UTF-32LE', 'UTF-8'), 2]] as $name => [$contents, $rows]) {
            $this->house->run('DROP TABLE IF EXISTS lab."drop"; DROP SCHEMA IF EXISTS lighterman CASCADE');
            $this->taken = [];
            $this->leave($name, $contents);
            $feed = $this->drop($name);
            self::assertSame($rows, self::total($this->take($feed), 'inserted'), $name);
            self::assertSame([], $this->unreadable, $name);
            match ($name) {
                'blank.csv' => self::assertSame(['x', null, 'y'], array_column($this->landed('note', 'source_line::int'), 'note')),
                'array.json' => self::assertSame(['true', 'yes'], array_column($this->landed('v', 'source_line::int'), 'v')),
                'packed.csv', 'returns.csv', 'utf32.csv' => self::assertSame(['Zoë', 'Ann'], array_column($this->landed('name', 'source_line::int'), 'name')),
                default => null,
            };
        }
    }
}
