<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Sqlite\SqliteChangeTable;
use Lighterman\Connectors\Sqlite\SqliteSettings;
use Lighterman\Connectors\Sqlite\SqliteSource;
use Lighterman\Connectors\Triggers\TriggerLog;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;
use PDO;
use PDOException;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;

/** An SQLite file as a source. */
final class SqliteTest extends OtherSourceCase
{
    private string $folder;

    protected function setUp(): void
    {
        parent::setUp();
        $this->folder = sys_get_temp_dir().'/lighterman-'.bin2hex(random_bytes(4));
        mkdir($this->folder);
        $this->app = $this->session();
        $this->app->exec('PRAGMA journal_mode = WAL');
        $settings = new SqliteSettings('cellar', "{$this->folder}/cellar.db");
        $this->other = new SqliteSource($settings);
        $this->changes = new SqliteChangeTable($settings, 'test0001');
        $this->log = new TriggerLog('cellar', $this->changes);
    }

    protected function tearDown(): void
    {
        array_map(unlink(...), glob("{$this->folder}/*") ?: []);
        rmdir($this->folder);
        parent::tearDown();
    }

    protected function session(): PDO
    {
        return new PDO("sqlite:{$this->folder}/cellar.db", options: [PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION]);
    }

    protected function table(string $name): TableName
    {
        return new TableName('main', $name);
    }

    #[Test]
    public function values_arrive_unchanged_by_reading_and_by_trigger(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY, a REAL, b TEXT, c BLOB, d BOOLEAN, e DATE, f DATETIME, g DECIMAL(10,2), h, i JSON)');
        $reader = $this->begin();
        $this->does("INSERT INTO casks VALUES (9223372036854775807, 0.1 + 0.2, 'tab\there', x'00ff', 1, '2026-02-28', '2026-02-28 10:11:12.345', 1.25, 'free', '{\"a\": 1.50}'), (1, 1e300, '', x'', 0, NULL, NULL, 3, NULL, NULL)");
        $expected = [
            ['id' => '1', 'a' => '1e+300', 'b' => '', 'c' => '\x', 'd' => 'f', 'e' => null, 'f' => null, 'g' => '3', 'h' => null, 'i' => null],
            ['id' => '9223372036854775807', 'a' => '0.30000000000000004', 'b' => "tab\there", 'c' => '\x00ff', 'd' => 't', 'e' => '2026-02-28', 'f' => '2026-02-28 10:11:12.345', 'g' => '1.25', 'h' => 'free', 'i' => '{"a": 1.50}'],
        ];
        $this->carryOther($this->feedOf('casks', null, ['id'], Landing::Replace));
        self::assertSame($expected, $this->landed('id, a, b, c, d, e, f, g, h, i', 'casks'));
        $said = implode("\n", self::told($reader));
        self::assertStringContainsString('"9223372036854775807","0.30000000000000004","tab\there","\\\\x00FF","1","2026-02-28","2026-02-28 10:11:12.345","1.25","free"', $said);
    }

    #[Test]
    public function the_shape_can_be_altered_only_where_the_triggers_allow_it_and_the_owner_is_told(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY, note TEXT)');
        $this->begin();
        // SQLite itself refuses to drop a column that a trigger names; nobody's writing is disturbed.
        $this->expectException(PDOException::class);
        $this->expectExceptionMessageMatches('/lighterman_test0001/');
        $this->does('ALTER TABLE casks DROP COLUMN note');
    }

    /** @return iterable<string, array{string}> */
    public static function uniqueThings(): iterable
    {
        yield 'another column' => ['CREATE TABLE casks (id INTEGER PRIMARY KEY, tag TEXT UNIQUE, spot INTEGER)'];
        yield 'several columns, and an index that takes case for nothing' => ['CREATE TABLE casks (id INTEGER PRIMARY KEY, tag TEXT, spot INTEGER, UNIQUE (spot, tag)); CREATE UNIQUE INDEX tags ON casks (tag COLLATE NOCASE)'];
        yield 'a key that takes case for nothing' => ['CREATE TABLE casks (id TEXT COLLATE NOCASE PRIMARY KEY NOT NULL, tag TEXT, spot INTEGER UNIQUE)'];
        yield 'a table without row numbers' => ['CREATE TABLE casks (id TEXT COLLATE NOCASE, tag TEXT UNIQUE, spot INTEGER UNIQUE, PRIMARY KEY (id)) WITHOUT ROWID'];
        yield 'a key of no type' => ['CREATE TABLE casks (id PRIMARY KEY NOT NULL, tag TEXT UNIQUE COLLATE RTRIM, spot REAL)'];
        yield 'no key' => ['CREATE TABLE casks (id TEXT, tag TEXT UNIQUE, spot INTEGER UNIQUE)'];
    }

    #[Test]
    #[DataProvider('uniqueThings')]
    public function rows_that_a_statement_replaces_are_told_as_deleted_once(string $made): void
    {
        $this->does($made);
        $keyless = str_contains($made, 'id TEXT, tag TEXT UNIQUE, spot');
        $reader = $this->begin();
        $seed = random_int(1, PHP_INT_MAX);
        mt_srand($seed);
        $any = static fn (string ...$of): string => $of[mt_rand(0, count($of) - 1)];
        $value = static fn (): string => $any('1', '2', '3', '\'a\'', '\'A\'', '\'b\'', '\'B \'', '\'b\'', '2.0', 'NULL');
        for ($n = 0; $n < 400; $n++) {
            $n % 50 === 0 && $this->does('PRAGMA recursive_triggers = '.mt_rand(0, 1));
            $or = $any('', ' OR REPLACE', ' OR REPLACE', ' OR IGNORE', ' OR FAIL', ' OR ROLLBACK');
            $rows = implode(', ', array_map(static fn (): string => "({$value()}, {$value()}, {$value()})", range(1, mt_rand(1, 3))));
            try {
                $this->does(match (mt_rand(0, 5)) {
                    0 => 'DELETE FROM casks WHERE id = '.$value(),
                    1, 2 => "UPDATE{$or} casks SET {$any('id', 'tag', 'spot')} = {$value()} WHERE {$any('id', 'tag', 'spot')} = {$value()}",
                    3 => $keyless ? "REPLACE INTO casks VALUES {$rows}" : "INSERT INTO casks VALUES {$rows} ON CONFLICT (id) DO UPDATE SET tag = excluded.tag",
                    default => "INSERT{$or} INTO casks VALUES {$rows}",
                });
            } catch (PDOException) {
                // What the table's own rules refuse is tried too.
            }
        }
        $there = [];
        foreach (self::told($reader) as $line) {
            if (preg_match('/^(?:insert|update|delete) (null|\[.*?\]) (null|\[.*?\])$/', $line, $m)) {
                [$before, $after] = [$m[1], $m[2]];
                $key = static fn (string $row): string => $keyless ? $row : (string) json_encode(json_decode($row)[0]);
                $place = static fn (string $row): int|string|false => array_search($key($row), array_map($key, $there), true);
                if ($before !== 'null') {
                    self::assertNotFalse($place($before), "seed {$seed}: {$line} tells of a row that is not there");
                    unset($there[$place($before)]);
                }
                if ($after !== 'null') {
                    // Of one key the row before it gives way without a word, as everywhere.
                    if (! $keyless && ($same = $place($after)) !== false) {
                        unset($there[$same]);
                    }
                    $there[] = $after;
                }
            }
        }
        sort($there);
        $really = array_map(static fn (array $r): string => (string) json_encode(array_map(static fn (mixed $v): ?string => $v === null ? null : (string) $v, $r)), $this->app->query('SELECT CAST(id AS TEXT), CAST(tag AS TEXT), CAST(spot AS TEXT) FROM casks')->fetchAll(PDO::FETCH_NUM));
        sort($really);
        self::assertSame($really, $there, "seed {$seed}");
    }

    #[Test]
    public function a_column_that_is_gone_is_refused_and_not_read_as_its_name(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY, note TEXT)', "INSERT INTO casks VALUES (1, 'x')");
        $feed = $this->feedOf('casks', null, ['id']);
        $this->does('ALTER TABLE casks RENAME COLUMN note TO remark');
        $this->expectException(SystemTrouble::class);
        $this->expectExceptionMessageMatches('/note/');
        $this->carryOther($feed);
    }

    #[Test]
    public function a_writer_at_work_holds_a_window_up_and_loses_nothing(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY, updated_at DATETIME)', "INSERT INTO casks VALUES (1, '2026-01-01 00:00:00')");
        $feed = $this->feedOf('casks', 'updated_at', ['id']);
        self::assertSame(1, $this->carryOther($feed));
        $writer = $this->session();
        $writer->exec('BEGIN IMMEDIATE');
        $writer->exec("INSERT INTO casks VALUES (2, datetime('now'))");
        try {
            $this->carryOther($feed);
            self::fail('It did not wait.');
        } catch (SystemTrouble $trouble) {
            self::assertSame(['busy', true], [$trouble->reason->value, $trouble->mayPass()]);
        }
        $writer->exec('COMMIT');
        usleep(1_100_000);
        self::assertSame(1, $this->carryOther($feed));
    }

    #[Test]
    public function looking_at_a_file_takes_nothing_from_who_holds_it(): void
    {
        $path = "{$this->folder}/held.db";
        $holder = new PDO("sqlite:{$path}", null, null, [PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION]);
        $holder->exec('PRAGMA journal_mode = WAL; CREATE TABLE casks (id integer PRIMARY KEY)');
        for ($id = 1; $id <= 5; $id++) {
            $source = new SqliteSource(new SqliteSettings('cellar', $path));
            $source->catalogue();
            // Who closes a database last takes the log written ahead away, if nobody holds it.
            exec(escapeshellarg(PHP_BINARY).' -r '.escapeshellarg("(new PDO('sqlite:{$path}'))->exec('INSERT INTO casks VALUES ({$id})');"), result_code: $code);
            self::assertSame([0, $id], [$code, (int) $holder->query('SELECT count(*) FROM casks')->fetchColumn()]);
        }
    }

    #[Test]
    public function text_in_a_watermark_of_numbers_stops_nothing_and_is_counted(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY, n INTEGER)', "INSERT INTO casks VALUES (1, 'odd')");
        $feed = $this->feedOf('casks', 'n', ['id']);
        self::assertSame([0, 1], [$this->carryOther($feed), $this->other->withoutWatermark($feed)]);
        $this->does("INSERT INTO casks VALUES (2, 5), (3, NULL), (4, x'ff')");
        $this->carryOther($feed);
        $this->does('INSERT INTO casks VALUES (5, 6)');
        $this->carryOther($feed);
        self::assertSame([['id' => '2', 'n' => '5'], ['id' => '5', 'n' => '6']], $this->landed('id, n', 'casks'));
        self::assertSame(3, $this->other->withoutWatermark($feed));
    }

    #[Test]
    public function another_file_in_its_place_is_noticed_by_whoever_had_it_open(): void
    {
        $this->does('CREATE TABLE casks (id INTEGER PRIMARY KEY, note TEXT)', "INSERT INTO casks VALUES (1, 'old')");
        $reader = $this->begin();
        $feed = $this->feedOf('casks', null, ['id'], Landing::Replace);
        $this->carryOther($feed);
        $this->does("INSERT INTO casks VALUES (2, 'old')");
        self::assertStringContainsString('"old"', implode(self::told($reader)));
        $before = $this->other->identity($this->table('casks'));
        $this->does('PRAGMA wal_checkpoint(TRUNCATE)');
        // What a backup brings back is the same to SQLite, down to the numbers of its pages.
        $backup = "{$this->folder}/backup.db";
        copy("{$this->folder}/cellar.db", $backup);
        (new PDO("sqlite:{$backup}"))->exec("UPDATE casks SET note = 'new'");
        rename($backup, "{$this->folder}/cellar.db");
        foreach ([fn () => $this->other->count($feed), fn () => self::told($reader)] as $do) {
            try {
                $do();
                self::fail('It went on with the old file.');
            } catch (SystemTrouble $trouble) {
                self::assertSame(['connection_lost', true], [$trouble->reason->value, $trouble->mayPass()]);
                self::assertStringContainsString('another file in its place', $trouble->getMessage());
            }
        }
        self::assertNotNull($before);
        self::assertSame('the file of its database was altered', $this->other->identity($this->table('casks'))?->since($before, ['id', 'note']));
        $this->carryOther($feed);
        self::assertSame([['id' => '1', 'note' => 'new'], ['id' => '2', 'note' => 'new']], $this->landed('id, note', 'casks'));
    }

    #[Test]
    public function a_file_that_is_not_one_is_refused_and_none_is_made(): void
    {
        file_put_contents("{$this->folder}/notes.txt", 'Twelve casks of the late pear.');
        foreach (["{$this->folder}/notes.txt" => 'no_database', "{$this->folder}/none.db" => 'no_file', 'cellar.db' => 'no_file'] as $path => $reason) {
            $findings = (new SqliteSource(new SqliteSettings('cellar', $path)))->check();
            self::assertSame(['failed'], array_map(static fn (Finding $f): string => $f->result, $findings), $path);
            try {
                (new SqliteSource(new SqliteSettings('cellar', $path)))->catalogue();
                self::fail("{$path} was opened.");
            } catch (SystemTrouble $trouble) {
                self::assertSame($reason, $trouble->reason->value);
            }
        }
        self::assertFileDoesNotExist("{$this->folder}/none.db");
        self::assertSame('Twelve casks of the late pear.', file_get_contents("{$this->folder}/notes.txt"));
    }
}
