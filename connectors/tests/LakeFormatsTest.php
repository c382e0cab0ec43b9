<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Definition\Said;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Stamps;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Act;
use Lighterman\Core\Trouble\InvalidDefinition;
use Lighterman\Core\Trouble\QueryTrouble;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;

/** Every format a lake can be written in, read back by programs that share nothing with what wrote it. */
final class LakeFormatsTest extends LakeCase
{
    /** Lists whose elements readers of others tell in ways of their own. */
    private const OTHER_LISTS = ['sums', 'moments', 'raws', 'flags'];

    /** @return array<string, array{array<string, mixed>}> */
    public static function formats(): array
    {
        return [
            'Parquet, zstd' => [[]], 'Parquet, snappy' => [['packed' => 'snappy', 'group_rows' => 2048]], 'Parquet, plain' => [['packed' => 'none']],
            'Avro, deflate' => [['format' => 'avro']], 'Avro, plain' => [['format' => 'avro', 'packed' => 'none']],
            'JSON Lines' => [['format' => 'jsonl']], 'JSON Lines, gzip' => [['format' => 'jsonl', 'packed' => 'gzip']],
            'delimited text' => [['format' => 'delimited']], 'delimited text, gzip, semicolons' => [['format' => 'delimited', 'packed' => 'gzip', 'delimiter' => ';', 'quote' => "'", 'null' => 'none']],
        ];
    }

    /**
     * @param  array<string, mixed>  $as
     * @param  list<string>  $key
     * @param  list<string>  $partitions
     */
    private function written(string $table, array $as, array $key, Landing $landing = Landing::Replace, ?string $watermark = null, array $partitions = []): FeedDefinition
    {
        return $this->lakeFeed($table, $watermark, $key, $landing, $partitions, ['stamps' => new Stamps(null, null), 'writing' => FileWriting::fromArray($as)]);
    }

    /** Asserts that what landed is the source's table, by readers of others. */
    private function assertReadByOthers(string $table, string $key): void
    {
        $paths = array_map(fn (string $n): string => "{$this->path}/{$n}", $this->counted("gate.{$table}"));
        $ending = preg_replace('/^[^.]+\./', '', basename($paths[0]));
        if (in_array($ending, ['parquet', 'avro'], true)) {
            $this->assertDecoded($table, $key, $paths, $ending);

            return;
        }
        $this->gate->run("DROP TABLE IF EXISTS back, lines; CREATE TABLE back (LIKE {$table}); CREATE TABLE lines (line text)");
        $dialect = $this->lake->tables()["gate.{$table}"]->now()->writing->dialect;
        foreach ($paths as $path) {
            $from = str_ends_with($path, '.gz') ? "program 'gzip -dc {$path}'" : "'{$path}'";
            $copy = $dialect === null
                ? "\\copy lines from {$from} with (format csv, delimiter e'\\x01', quote e'\\x02')"
                : "\\copy back from {$from} with (format csv, header, delimiter '{$dialect->delimiter}', quote e'\\x".bin2hex((string) $dialect->quote)."', null '{$dialect->null}')";
            exec('PGPASSWORD='.escapeshellarg((string) getenv('LIGHTERMAN_TEST_PG_PASSWORD')).' psql -X -q -v ON_ERROR_STOP=1 -h 127.0.0.1 -p '.getenv('LIGHTERMAN_TEST_PG_PORT').' -U lighterman -d '.$this->database('gate').' -c '.escapeshellarg($copy).' 2>&1', $said, $code);
            self::assertSame([0, []], [$code, $said]);
        }
        if ($dialect === null) {
            $this->gate->run('INSERT INTO back SELECT r.* FROM lines, jsonb_populate_record(NULL::back, line::jsonb) r');
        }
        $rows = fn (string $of): array => array_column($this->gate->rows("SELECT t::text AS row FROM {$of} t ORDER BY {$key}"), 'row');
        foreach (array_map(null, $rows($table), $rows('back')) as [$was, $is]) {
            self::assertSame(mb_strcut((string) $was, 0, 2000), mb_strcut((string) $is, 0, 2000));
            self::assertSame(md5((string) $was), md5((string) $is));
        }
    }

    /** @param  list<string>  $paths */
    private function assertDecoded(string $table, string $key, array $paths, string $ending): void
    {
        $lines = [];
        foreach ($ending === 'avro' ? array_map(static fn (string $p): array => [$p], $paths) : [$paths] as $some) {
            $reader = $ending === 'avro' ? 'core/tests/Format/read-avro.mjs' : 'connectors/tests/read-parquet.mjs';
            exec('cd '.escapeshellarg(dirname(__DIR__, 2))." && node {$reader} ".implode(' ', array_map(escapeshellarg(...), $some)), $lines, $code);
            self::assertSame(0, $code);
        }
        $rows = array_column(array_map(static fn (string $l): array => json_decode($l, true, 8, JSON_THROW_ON_ERROR), $lines), null, $key);
        $expressions = [];
        foreach ($this->source->shape(TableName::parse($table))->columns as $column) {
            [$name, $type] = ["\"{$column->name}\"", (string) $column->type];
            if (in_array($column->name, self::OTHER_LISTS, true)) {
                continue;
            }
            $expressions[] = match (true) {
                str_starts_with($type, 'list of') => "to_jsonb({$name}::text[])",
                str_starts_with($type, 'decimal(') => $ending === 'avro' ? "({$name} * 10 ^ scale({$name})::numeric)::numeric(40, 0)" : $name,
                $type === 'date' => "({$name} - DATE '1970-01-01')", $type === 'time' => "(extract(epoch FROM {$name}) * 1000000)::bigint",
                $type === 'timestamp', $type === 'timestamptz' => "(extract(epoch FROM {$name}) * 1000000)::bigint",
                $type === 'bytes' => "encode({$name}, 'hex')", $type === 'boolean' => "{$name}::text", str_starts_with($type, 'char(') => "CASE WHEN {$name} IS NOT NULL THEN format('%s', {$name}) END", default => "{$name}::text",
            }." AS {$name}";
        }
        foreach ($this->gate->rows('SELECT '.implode(', ', $expressions)." FROM {$table}") as $expected) {
            $own = $rows[(string) $expected[$key]] ?? self::fail("row {$expected[$key]} is not there");
            foreach ($expected as $name => $value) {
                $is = is_bool($own[$name] ?? null) ? ($own[$name] ? 'true' : 'false') : ($own[$name] ?? null);
                if (is_array($is)) {
                    self::assertSame(json_decode((string) $value, true), $is, $name);
                } elseif ($name === 'f4' && $value !== null && is_numeric($value)) {
                    // Both readers tell a single-precision number as the double that it is.
                    self::assertSame(pack('g', (float) $value), pack('g', (float) $is));
                } elseif ($name === 'f8' && is_numeric($value)) {
                    self::assertSame((float) $value, (float) $is);
                } else {
                    self::assertSame($value === null ? null : md5($value), $is === null ? null : md5((string) $is), "{$name} of row {$expected[$key]}: ".mb_strcut((string) $is, 0, 80).' instead of '.mb_strcut((string) $value, 0, 80));
                }
            }
        }
        self::assertSame(count($rows), (int) $this->gate->value("SELECT count(*) FROM {$table}"));
    }

    /** @param  array<string, mixed>  $as */
    #[Test]
    #[DataProvider('formats')]
    public function pressings_and_every_edge_value_come_back_as_they_were(array $as): void
    {
        $demo = (string) file_get_contents(dirname(__DIR__, 2).'/demo/weighbridge.sql');
        self::assertSame(2, preg_match_all('/^(CREATE TABLE pressings \(.*?\);|INSERT INTO pressings.*?;)$/ms', $demo, $made));
        $this->gate->run(str_replace('generate_series(1, 9000)', 'generate_series(1, 400)', implode("\n", $made[0])));
        $this->carry($this->written('pressings', $as, ['pressing_id']), into: $this->lake);
        $this->assertReadByOthers('pressings', 'pressing_id');

        $text = in_array($as['format'] ?? '', ['jsonl', 'delimited'], true);
        $this->gate->run('CREATE TABLE t (id int PRIMARY KEY, small smallint, big bigint, exact numeric(38,6), wide numeric(12,4), loose numeric, f4 real, f8 double precision, flag boolean, words text, raw bytea, d date, ts timestamp, tstz timestamptz, u uuid, j jsonb, list int[], names text[], sums numeric(10,2)[], moments timestamptz[], raws bytea[], flags boolean[], object oid, t time, code char(3), short varchar(5))');
        $this->gate->run("INSERT INTO t VALUES (1, -32768, 9223372036854775807, 99999999999999999999999999999999.999999, -12345678.1234, 0.000000000000000000000000000001, 1.1, 0.1, true, \$1, '\\x00ff5c0a09', '1850-03-15', '1850-12-31 23:59:59.123456', '2026-10-25 01:30:00.123456+01', 'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11', '{\"k\": [1, {\"v\": \"ä\\t\"}]}', '{1,NULL,3}', ARRAY['a,b', 'q\"x', E'back\\\\slash', NULL, '', 'NULL', ' around ', E'new\\nline', '{braced}', 'it''s', E'tab\\t', 'äpfel'], '{1.10,NULL,-99999999.99}', '{\"2026-10-25 01:30:00.123456+01\",NULL,\"0044-03-15 12:00:00+00 BC\"}', ARRAY['\\x00ff5c'::bytea, NULL, ''], '{t,f,NULL}', 4294967295, '23:59:59.999', 'a', 'äöüß')", ["tab\there, newline\nthere, return\r, both\r\n, backslash \\ and \\N, quotes ' \" , commas ; and , emoji 🍎"]);
        $this->gate->run("INSERT INTO t VALUES (2, 0, -9223372036854775808, -99999999999999999999999999999999.999999, 0, 1e40, 'Infinity', 'NaN', false, '', '', '9999-12-31', '20000-01-01', '0044-03-15 12:00:00+00 BC', NULL, '[]', '{}', '{}', '{NULL}', '{}', '{}', NULL, 0, '00:00', '', '')");
        $this->gate->run("INSERT INTO t (id, words, d, f8) VALUES (3, repeat('long ', 220000), '0044-03-15 BC', '-Infinity'), (4, '\\N', NULL, 1.7976931348623157e308), (5, 'none', '5874897-12-31', 0), (6, 'null', '0001-01-01', 5e-324)");
        if ($text) {
            // What has no end, and what is no number, has no place in a binary date or decimal.
            $this->gate->run("INSERT INTO t (id, d, ts, tstz, wide, exact) VALUES (7, 'infinity', '-infinity', 'infinity', 'NaN', 'NaN')");
        } else {
            $this->gate->run('DELETE FROM t WHERE id = 5');
        }
        $feed = $this->written('t', $as, ['id']);
        if ($text) {
            // The engine's own decimals know no NaN, and its dates end earlier.
            try {
                $this->carry($feed, into: $this->lake);
                self::fail('NaN landed.');
            } catch (SystemTrouble $trouble) {
                self::assertSame('unfit_value', $trouble->reason->value);
            }
            $this->gate->run('UPDATE t SET wide = NULL, exact = NULL WHERE id = 7; DELETE FROM t WHERE id = 5');
        }
        $this->carry($feed, into: $this->lake);
        $this->assertReadByOthers('t', 'id');
        $ours = $this->lake->row(new TableName('gate', 't'), ['id' => '2']);
        foreach ($this->gate->rows('SELECT id::text, list::text, names::text, sums::text, moments::text, raws::text, flags::text, object::text FROM t ORDER BY id') as $row) {
            self::assertSame($row, array_intersect_key($this->lake->row(new TableName('gate', 't'), ['id' => (string) $row['id']]) ?? [], $row), "lists of row {$row['id']}");
        }
        self::assertSame(['-9223372036854775808', '-99999999999999999999999999999999.999999', 'NaN', '', '\\x', '0044-03-15 12:00:00+00 BC', null], array_map(static fn (string $c): ?string => $ours[$c] ?? null, ['big', 'exact', 'f8', 'words', 'raw', 'tstz', 'u']));
    }

    /** @param  array<string, mixed>  $as */
    #[Test]
    #[DataProvider('formats')]
    public function rows_are_merged_partitions_pruned_and_small_files_joined(array $as): void
    {
        $this->gate->run("CREATE TABLE loads (id int PRIMARY KEY, kg numeric(8,2), code text, on_day date NOT NULL, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO loads SELECT g, g / 4.0, CASE WHEN g % 5 > 0 THEN 'a/b=' || g % 5 END, DATE '2026-01-01' + g % 60, now() - interval '1 day' FROM generate_series(1, 600) g");
        $feed = $this->written('loads', $as, ['id'], Landing::Upsert, 'updated_at', ['month(on_day)', 'code']);
        $this->carry($feed, into: $this->lake);
        $before = $this->counted('gate.loads');
        self::assertContains('gate/loads/on_day_month=2026-01/code=a%2Fb%3D1', array_map(dirname(...), $before));
        $this->gate->run("UPDATE loads SET kg = 9.5, updated_at = clock_timestamp() WHERE id IN (6, 11); INSERT INTO loads VALUES (1000, 1, 'new', '2026-03-01'); UPDATE loads SET code = 'moved', updated_at = clock_timestamp() WHERE id = 7");
        $this->settle();
        $receipts = $this->carry($feed, into: $this->lake);
        self::assertSame([1, 3], [self::total($receipts, 'inserted'), self::total($receipts, 'updated')]);
        self::assertCount(2, array_diff($before, $this->counted('gate.loads')), 'only the partitions that changed are written anew');
        $this->assertReadByOthers('loads', 'id');
        $totals = static fn (string $of): string => "SELECT count(*) AS n, sum(kg) AS kg, count(code) AS codes FROM {$of}";
        self::assertSame(array_values($this->gate->rows($totals('loads'))[0]), $this->lake->query($totals('gate.loads'), 10, 60)->rows[0]);
        $pruned = $this->lake->query("SELECT count(*), sum(kg) FROM gate.loads WHERE on_day_month = '2026-01' AND code = 'a/b=1'", 10, 60);
        $all = count($this->counted('gate.loads'));
        foreach (['SELECT count(*) AS n FROM gate.loads' => $all, 'SELECT count(*) AS n FROM gate.loads WHERE kg > 1000' => $all, "SELECT count(*) AS n FROM gate.loads WHERE code = 'a/b=2' OR id = 5" => $all,
            "SELECT count(*) AS n FROM gate.loads a JOIN gate.loads b USING (id) WHERE a.on_day_month = '2026-01' AND b.code = 'a/b=3'" => null, "SELECT count(*) AS n FROM gate.loads WHERE on_day_month > '2026-01' AND code IS NULL" => null, "SELECT count(*) AS n FROM gate.loads WHERE code = '(x)(y)'" => null] as $sql => $files) {
            $result = $this->lake->query($sql, 10, 60);
            $same = str_replace(['gate.loads', 'a.on_day_month', 'on_day_month'], ['loads', "to_char(a.on_day, 'YYYY-MM')", "to_char(on_day, 'YYYY-MM')"], $sql);
            self::assertSame($this->gate->value($same), $result->rows[0][0], $sql);
            if (isset($as['format'])) {
                $files === null ? self::assertLessThan($all, $result->files[0] ?? $all, $sql) : self::assertSame($files, $result->files[0] ?? 0, $sql);
            }
        }
        self::assertSame([array_values($this->gate->rows("SELECT count(*), sum(kg) FROM loads WHERE on_day < '2026-02-01' AND code = 'a/b=1'")[0]), 1], [$pruned->rows[0], $pruned->files[0] ?? 0]);
    }

    #[Test]
    public function files_keep_to_their_limits_and_a_fixed_name_holds_everything(): void
    {
        $this->gate->run('CREATE TABLE n (id bigint PRIMARY KEY, part int, w text); INSERT INTO n SELECT g, g % 2, repeat(\'x\', 40) FROM generate_series(1, 30000) g');
        foreach ([['rows' => 10_000], ['format' => 'jsonl', 'rows' => 10_000], ['format' => 'delimited', 'megabytes' => 1]] as $i => $as) {
            $feed = $this->lakeFeed('n', null, ['id'], Landing::Replace, [], ['name' => "n{$i}", 'landed' => new TableName('gate', "n{$i}"), 'writing' => FileWriting::fromArray($as)]);
            $this->carry($feed, into: $this->lake);
            $files = $this->lake->tables()["gate.n{$i}"]->files;
            self::assertGreaterThanOrEqual(3, count($files));
            self::assertSame(30_000, array_sum(array_map(static fn ($f): int => $f->rows, $files)));
            self::assertLessThan(2 << 20, max(array_map(static fn ($f): int => $f->bytes, $files)));
        }
        foreach (['parquet', 'jsonl', 'avro'] as $format) {
            $feed = $this->lakeFeed('n', 'id', ['id'], Landing::Append, ['part'], ['name' => "f{$format}", 'landed' => new TableName('gate', "f{$format}"), 'watermarkUnique' => true, 'writing' => FileWriting::fromArray(['format' => $format, 'rows' => 1000, 'fixed_name' => 'everything'])]);
            $this->carry($feed, into: $this->lake);
            $rows = (int) $this->gate->value('SELECT count(*) FROM n WHERE part = 1');
            $fixed = "{$this->path}/gate/f{$format}/part=1/everything.{$format}";
            self::assertSame([$rows, 2], [$this->lake->tables()["gate.f{$format}"]->files[1]->rows, count($this->counted("gate.f{$format}"))]);
            self::assertFileEquals("{$this->path}/{$this->counted("gate.f{$format}")[1]}", $fixed);
            $this->gate->run("INSERT INTO n SELECT max(id) + 1, 1, '{$format}' FROM n");
            $this->settle();
            $this->carry($feed, into: $this->lake);
            self::assertSame([$rows + 1, 2], [array_values(array_filter($this->lake->tables()["gate.f{$format}"]->files, static fn ($f): bool => $f->partition === ['part' => '1']))[0]->rows, count($this->counted("gate.f{$format}"))]);
            // A crash between the commit and the name is healed by the next run.
            unlink($fixed);
            RowDelivery::open($this->lake, $feed->landedTable(), Holder::feed("feed-f{$format}", 1))->close();
            self::assertFileExists($fixed);
            // Once it has no fixed name any more, none is left that says what was then.
            $plain = $this->lakeFeed('n', 'id', ['id'], Landing::Append, ['part'], ['name' => "f{$format}", 'landed' => new TableName('gate', "f{$format}"), 'watermarkUnique' => true, 'writing' => FileWriting::fromArray(['format' => $format])]);
            RowDelivery::open($this->lake, $plain->landedTable(), Holder::feed("feed-f{$format}", 1))->close();
            self::assertFileDoesNotExist($fixed);
            $this->lake->discard("feed-f{$format}");
            self::assertDirectoryDoesNotExist("{$this->path}/gate/f{$format}");
        }
    }

    #[Test]
    public function a_table_goes_on_in_another_format_and_with_another_shape(): void
    {
        $this->gate->run('CREATE TABLE e (id bigint PRIMARY KEY, kg numeric(8,2)); INSERT INTO e SELECT g, g / 8.0 FROM generate_series(1, 50) g');
        $more = ['watermarkUnique' => true];
        $at = 0;
        foreach ([[], ['format' => 'delimited', 'delimiter' => ';', 'decimal' => ',', 'header' => false], ['format' => 'jsonl'], ['format' => 'avro'], ['format' => 'delimited']] as $i => $as) {
            if ($i === 2) {
                $this->gate->run('ALTER TABLE e ADD what text, ALTER kg TYPE numeric(10,3)');
            }
            $feed = $this->lakeFeed('e', 'id', ['id'], Landing::Append, [], $more + ['writing' => FileWriting::fromArray($as)]);
            self::assertSame([], $this->lake->prepareChange($feed->landedTable(), [])->obstacles());
            $this->carry($feed, into: $this->lake);
            $at += 50;
            $this->gate->run('INSERT INTO e (id, kg) SELECT g, g / 8.0 FROM generate_series('.($at + 1).', '.($at + 50).') g');
            if ($i >= 2) {
                $this->gate->run("UPDATE e SET what = 'w' || id WHERE id > {$at}");
            }
            $this->settle();
        }
        $table = $this->lake->tables()['gate.e'];
        self::assertSame(['parquet', 'csv', 'jsonl', 'avro', 'csv'], array_map(static fn ($f): string => pathinfo($f->name, PATHINFO_EXTENSION), $table->files));
        self::assertCount(5, $table->eras);
        self::assertSame([['250', $this->gate->value('SELECT sum(kg)::numeric(12,3) FROM e WHERE id <= 250'), '100']], $this->lake->query('SELECT count(*), sum(kg)::DECIMAL(12,3), count(what) FROM gate.e', 10, 30)->rows);
        self::assertSame(['w240', '12.500'], [$this->lake->row(new TableName('gate', 'e'), ['id' => '240'])['what'] ?? null, $this->lake->row(new TableName('gate', 'e'), ['id' => '100'])['kg'] ?? null]);
        // Somebody else's hand in a file is noticed and named.
        $path = "{$this->path}/{$table->files[2]->name}";
        $text = (string) file_get_contents($path);
        file_put_contents($path, "{$text}{}\n");
        try {
            $this->lake->query('SELECT count(*) FROM gate.e', 10, 30);
            self::fail('A line more was not noticed.');
        } catch (QueryTrouble $trouble) {
            self::assertStringContainsString('.jsonl is not as it was written: it has '.(strlen($text) + 3).' bytes, and had '.strlen($text), $trouble->getMessage());
        }
        file_put_contents($path, substr($text, 0, -5)."!!!!\n");
        $this->expectExceptionMessageMatches('~gate/e/.*\.jsonl is not as it was written: line 50~');
        $this->lake->query('SELECT count(*) FROM gate.e', 10, 30);
    }

    #[Test]
    public function what_cannot_be_written_is_refused_with_the_reason(): void
    {
        $this->gate->run('CREATE TABLE x (id int PRIMARY KEY)');
        foreach ([
            ['parquet', ['packed' => 'gzip'], 'cannot be packed with "gzip"'], ['jsonl', ['delimiter' => ';'], 'has no delimiter'], ['delimited', ['delimiter' => ';;'], 'The delimiter is one character'],
            ['parquet', ['rows' => 5], 'not between 1,000 and'], ['parquet', ['group_rows' => 5], 'not between 2,048'], ['parquet', ['fixed_name' => '../x'], 'cannot name a file'],
        ] as [$format, $more, $said]) {
            try {
                Said::writing('x', ['format' => $format] + $more);
                self::fail($said);
            } catch (InvalidDefinition $e) {
                self::assertStringContainsStringIgnoringCase($said, $e->getMessage());
                self::assertStringStartsWith('x: write_as', $e->getMessage());
            }
        }
        $this->gate->run("INSERT INTO x VALUES (1); ALTER TABLE x ADD d date; UPDATE x SET d = 'infinity'");
        $this->expectExceptionMessage('cannot be written as');
        $this->carry($this->written('x', ['format' => 'avro'], ['id']), into: $this->lake);
    }

    #[Test]
    public function a_file_that_somebody_has_shortened_is_never_rewritten_from_what_is_left(): void
    {
        $this->gate->run("CREATE TABLE loads (id int PRIMARY KEY, t text, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO loads SELECT g, md5(g::text), now() - interval '1 day' FROM generate_series(1, 2000) g");
        $feed = $this->lakeFeed('loads', 'updated_at', ['id'], Landing::Upsert, [], ['writing' => FileWriting::fromArray(['format' => 'jsonl', 'packed' => 'none'])]);
        $this->carry($feed, into: $this->lake);
        $path = "{$this->path}/{$this->lake->tables()['gate.loads']->files[0]->name}";
        $text = (string) file_get_contents($path);
        file_put_contents($path, implode("\n", array_slice(explode("\n", $text), 0, 1000))."\n");
        $this->gate->run("UPDATE loads SET t = 'new', updated_at = clock_timestamp() WHERE id = 7");
        $this->settle();
        try {
            $this->carry($feed, 2, $this->lake);
            self::fail('Half of the rows were lost.');
        } catch (SystemTrouble $trouble) {
            self::assertSame([Reason::DamagedFile, Act::StartOver], [$trouble->reason, $trouble->remedy()->act]);
        }
        // The remedy, followed: the file is put back from a copy.
        file_put_contents($path, $text);
        self::assertSame(1, self::total($this->carry($feed, 3, $this->lake), 'updated'));
        self::assertSame([['2000', '1']], $this->lake->query("SELECT count(*), count(*) FILTER (WHERE t = 'new') FROM gate.loads", 10, 30)->rows);
    }
}
