<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Engine\EngineError;
use Lighterman\Connectors\Engine\TypeMap;
use Lighterman\Core\Shape\Type;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;
use RuntimeException;

/** The embedded engine: values as text in and out, plans, and what it may not do. */
final class EngineTest extends TestCase
{
    private string $path;

    private Engine $engine;

    protected function setUp(): void
    {
        $this->path = sys_get_temp_dir().'/engine-'.bin2hex(random_bytes(5));
        mkdir("{$this->path}/spill", 0777, true);
        $this->engine = new Engine([$this->path], 160, 2, "{$this->path}/spill", ordered: true);
    }

    protected function tearDown(): void
    {
        $this->engine->close();
        exec('rm -rf '.escapeshellarg($this->path));
    }

    #[Test]
    public function two_processes_that_need_more_than_their_memory_do_not_meet_on_the_disk(): void
    {
        $code = 'require $argv[1]; $e = new Lighterman\Connectors\Engine\Engine([$argv[2]], 120, 2, $argv[2]."/spill");
            $e->run("CREATE TEMP TABLE t AS SELECT i, md5((i * {$argv[3]})::varchar) AS h, repeat(md5(i::varchar), 4) AS pad FROM range(2000000) r(i)");
            $is = $e->value("SELECT sum(hash(h)::hugeint) || chr(32) || sum(hash(pad)::hugeint) || chr(32) || max(i) FROM (SELECT * FROM t ORDER BY h)");
            $wanted = $e->value("SELECT sum(hash(md5((i * {$argv[3]})::varchar))::hugeint) || chr(32) || sum(hash(repeat(md5(i::varchar), 4))::hugeint) || chr(32) || max(i) FROM range(2000000) r(i)");
            echo count(glob($argv[2]."/spill/engine-*/*")) > 0 ? "spilled, " : "", $is === $wanted ? "right" : "wrong: {$is}";';
        $left = "{$this->path}/spill/engine-".gethostname().'-4194305-0123456789ab';
        mkdir($left);
        touch("{$left}/of a process that was killed");
        $processes = [];
        foreach (['3', '7'] as $n) {
            $process = proc_open([PHP_BINARY, '-d', 'ffi.enable=true', '-r', $code, dirname(__DIR__, 2).'/vendor/autoload.php', $this->path, $n], [['file', '/dev/null', 'r'], ['pipe', 'w'], ['pipe', 'w']], $pipes);
            self::assertIsResource($process);
            $processes[] = [$process, $pipes];
        }
        foreach ($processes as [$process, $pipes]) {
            self::assertSame(['spilled, right', '', 0], [stream_get_contents($pipes[1]), stream_get_contents($pipes[2]), proc_close($process)]);
        }
        self::assertSame([], glob("{$this->path}/spill/*"), 'nothing is left');
    }

    #[Test]
    public function something_can_be_done_while_a_query_takes_its_time_and_can_end_it(): void
    {
        $calls = 0;
        $ends = false;
        $engine = new Engine([$this->path], 160, 2, "{$this->path}/spill", alive: function () use (&$calls, &$ends): void {
            $calls++;
            $ends && throw new RuntimeException('enough');
        });
        $query = static fn (int $rows): string => "SELECT sum(hash(i::varchar || 'x')) FROM range({$rows}) r(i)";
        for ($rows = 20_000_000; $rows < 2_000_000_000; $rows *= 2) {
            [$calls, $begun] = [0, microtime(true)];
            $engine->value($query($rows));
            $took = microtime(true) - $begun;
            if ($took > 2.1) {
                break;
            }
        }
        self::assertGreaterThanOrEqual((int) $took - 1, $calls);
        $ends = true;
        $begun = microtime(true);
        try {
            $engine->run("CREATE TABLE t AS {$query(4 * $rows)}");
            self::fail('It came to its end.');
        } catch (RuntimeException $e) {
            self::assertSame('enough', $e->getMessage());
        }
        self::assertLessThan($took, microtime(true) - $begun);
        $ends = false;
        self::assertSame(['7', '0'], [$engine->value('SELECT 7'), $engine->value("SELECT count(*) FROM duckdb_tables() WHERE table_name = 't'")], 'the engine goes on');
        $engine->close();
    }

    #[Test]
    public function what_went_wrong_is_said_also_where_something_is_done_meanwhile(): void
    {
        $engine = new Engine([$this->path], 160, 2, "{$this->path}/spill", alive: static fn () => null);
        foreach (["SELECT CAST(x AS DECIMAL(10,2)) FROM (VALUES ('NaN'), ('1')) t(x)" => 'NaN', "SELECT CAST(x AS TIMESTAMP) FROM (VALUES ('0000-00-00 00:00:00')) t(x)" => '0000-00-00'] as $sql => $said) {
            try {
                $engine->rows($sql);
                self::fail('It was taken.');
            } catch (EngineError $error) {
                self::assertStringContainsString($said, $error->getMessage());
            }
        }
        $engine->close();
    }

    #[Test]
    public function values_go_in_and_out_as_a_source_writes_them(): void
    {
        $values = [
            'date' => ['2026-02-28', '0044-03-15 BC', 'infinity', '-infinity', '20000-01-01'], 'timestamp' => ['2026-02-28 10:00:00.123456', '0044-03-15 12:00:00 BC', 'infinity'], 'timestamptz' => ['2026-02-28 10:00:00.5+00', '0044-03-15 12:00:00+00 BC'],
            'float64' => ['0.1', 'NaN', 'Infinity', '-Infinity', '1.7976931348623157e+308'], 'float32' => ['1.1', '-Infinity'], 'boolean' => ['t', 'f'], 'bytes' => ['\\x', '\\x00ff27'], 'decimal(38,6)' => ['99999999999999999999999999999999.999999', '-0.000001'], 'decimal' => ['0.000000000000000000000000000001'],
            'uuid' => ['a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11'], 'time' => ['23:59:59.999999'], 'jsonb' => ['{"a": [1, "é"]}', 'null'], 'text' => ["tab\t 'quoted' \"twice\" \\N 🍎", ''], 'int64' => ['-9223372036854775808'],
        ];
        foreach ($values as $name => $texts) {
            $type = Type::parse((string) $name);
            foreach ($texts as $text) {
                $this->engine->run('CREATE OR REPLACE TEMP TABLE v AS SELECT '.TypeMap::read('x', $type).' AS x FROM (SELECT '.Engine::literal($text).' AS x)');
                self::assertSame($text, $this->engine->value('SELECT '.TypeMap::text('x', $type).' FROM v'), "{$text} as {$name}");
            }
        }
    }

    #[Test]
    public function what_it_calls_its_types_is_what_we_call_them(): void
    {
        $ours = [];
        foreach ($this->engine->describe("SELECT 1::TINYINT AS a, 2::UINTEGER AS b, 3::HUGEINT AS c, 1.5::DECIMAL(9,2) AS d, [1] AS e, {'k': 1} AS f, now() AS g, 'x' AS \"1\"") as $name => $type) {
            $ours[] = "{$name} ".TypeMap::of($type);
        }
        self::assertSame(['a int16', 'b int64', 'c decimal(39,0)', 'd decimal(9,2)', 'e jsonb', 'f jsonb', 'g timestamptz', '1 text'], $ours);
        self::assertSame('[1,2]', $this->engine->value('SELECT '.TypeMap::told('x', Type::parse('jsonb')).' FROM (SELECT [1, 2] AS x)'));
    }

    #[Test]
    public function a_plan_says_what_conditions_leave_out_and_where_it_is_no_guide(): void
    {
        foreach (['a%29%28b', 'c'] as $part) {
            mkdir("{$this->path}/p={$part}");
            $this->engine->run("COPY (SELECT 1 AS id) TO '{$this->path}/p={$part}/x.parquet' (FORMAT parquet)");
        }
        $this->engine->run("CREATE VIEW t AS SELECT * FROM read_parquet('{$this->path}/*/x.parquet', hive_partitioning = true, hive_types = {'p': VARCHAR})");
        self::assertSame([['conditions' => "(p = 'a)(b')", 'read' => 1, 'of' => 2]], $this->engine->scans("SELECT * FROM t WHERE p = 'a)(b'"));
        self::assertSame([['conditions' => null, 'read' => 0, 'of' => 0]], $this->engine->scans('SELECT * FROM t WHERE id = 1'));
        self::assertNull($this->engine->scans('SELECT * FROM t WHERE false'), 'a place that is not read at says nothing of what it would need');
        self::assertCount(2, $this->engine->scans("SELECT * FROM t a JOIN t b ON a.id = b.id AND a.p = 'c'") ?? []);
    }

    #[Test]
    public function it_reaches_its_folders_only_and_stays_as_it_was_set(): void
    {
        foreach (["SELECT * FROM read_text('/etc/passwd')", "COPY (SELECT 1) TO '/tmp/engine-out.csv'", "SET memory_limit = '9GB'", "ATTACH '/tmp/engine-out.db'", 'INSTALL httpfs', 'LOAD httpfs', 'SET enable_external_access = true', "SELECT * FROM read_csv('{$this->path}/../../etc/passwd')"] as $sql) {
            try {
                $this->engine->run($sql);
                self::fail($sql);
            } catch (EngineError $e) {
                self::assertNotSame('', $e->getMessage());
            }
        }
        self::assertFileDoesNotExist('/tmp/engine-out.csv');
        self::assertFileDoesNotExist('/tmp/engine-out.db');
        $this->expectExceptionMessage('Only one statement');
        $this->engine->run('SELECT 1; SELECT 2');
    }
}
