<?php

declare(strict_types=1);

namespace Tests\Drills;

use Lighterman\Connectors\Postgres\Connection;
use Lighterman\Connectors\Postgres\PostgresSettings;
use Lighterman\Core\Port\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

/**
 * Kills a worker with SIGKILL at random points, during first loads and after, while rows change; then lets one finish and
 * compares everything. LIGHTERMAN_DRILL_ROUNDS sets the number of kills, LIGHTERMAN_DRILL_SEED repeats a failed one.
 */
final class KillTest extends TestCase
{
    private const FEEDS = ['loads' => 'upsert', 'log' => 'append', 'bands' => 'replace'];

    private Connection $gate;

    private Connection $house;

    private Connection $own;

    private string $suffix;

    protected function setUp(): void
    {
        $this->suffix = bin2hex(random_bytes(3));
        $admin = $this->connect('postgres');
        foreach (['gate', 'house', 'own'] as $name) {
            $admin->run("CREATE DATABASE drill_{$name}_{$this->suffix}");
            $this->{$name} = $this->connect("drill_{$name}_{$this->suffix}");
        }
        $admin->close();
        $this->command(['migrate', '--force', '--quiet']);
        foreach (['gate', 'house'] as $name) {
            $this->command(['system:add', $name, '--port='.getenv('LIGHTERMAN_TEST_PG_PORT'), "--database=drill_{$name}_{$this->suffix}", '--user=lighterman'], getenv('LIGHTERMAN_TEST_PG_PASSWORD')."\n");
        }
    }

    protected function tearDown(): void
    {
        $admin = $this->connect('postgres');
        foreach (['gate', 'house', 'own'] as $name) {
            $this->{$name}->close();
            $admin->run("DROP DATABASE IF EXISTS drill_{$name}_{$this->suffix} WITH (FORCE)");
        }
        $admin->close();
    }

    #[Test]
    public function a_worker_killed_at_any_point_loses_and_doubles_nothing(): void
    {
        $rounds = (int) (getenv('LIGHTERMAN_DRILL_ROUNDS') ?: 8);
        $seed = (int) (getenv('LIGHTERMAN_DRILL_SEED') ?: random_int(1, PHP_INT_MAX >> 33));
        mt_srand($seed);
        $this->fillGate();
        $file = tempnam(sys_get_temp_dir(), 'drill').'.yaml';
        file_put_contents($file, "source: gate\ntarget: house\ndefaults: { landed_schema: copy, schedule: { continuous_pause_seconds: 1 } }\nfeeds:\n"
            ."  - { table: public.loads, watermark: updated_at, landing: upsert }\n  - { table: public.log, watermark: id, landing: append }\n  - { table: public.bands, capture: reload }\n");
        $this->command(['route:load', $file]);
        unlink($file);

        $cutShort = 0;
        for ($round = 0; $round < $rounds; $round++) {
            $worker = $this->startWorker();
            $this->change();
            usleep(mt_rand(150, 1600) * 1000);
            $cutShort += (int) $this->own->value("SELECT count(*) FROM runs WHERE state = 'running'");
            proc_terminate($worker, SIGKILL);
            proc_close($worker);
        }

        $worker = $this->startWorker();
        try {
            $this->waitUntilEqual($seed);
        } finally {
            proc_terminate($worker, SIGTERM);
            proc_close($worker);
        }
        self::assertGreaterThan(0, $cutShort, "no kill met a run under way (seed {$seed})");
        self::assertSame('0', $this->house->value('SELECT count(*) - count(DISTINCT id) FROM copy.log'), "doubled rows (seed {$seed})");
        foreach (array_keys(self::FEEDS) as $feed) {
            $this->assertReceiptsJoin($feed, $seed);
        }
        self::assertGreaterThan(0, (int) $this->own->value("SELECT count(*) FROM runs WHERE state = 'lost'"));
    }

    private function fillGate(): void
    {
        $this->gate->run("CREATE TABLE loads (id int PRIMARY KEY, pad text, kg int, updated_at timestamptz NOT NULL DEFAULT now());
            CREATE INDEX ON loads (updated_at);
            CREATE TABLE log (id bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY, pad text);
            CREATE TABLE bands (id int PRIMARY KEY, pad text, price int);
            INSERT INTO loads SELECT g, repeat('x', 400), g, now() - interval '1 day' FROM generate_series(1, 150000) g;
            INSERT INTO log (pad) SELECT repeat('y', 300) FROM generate_series(1, 150000) g;
            INSERT INTO bands SELECT g, repeat('z', 300), g FROM generate_series(1, 60000) g; ANALYZE");
    }

    private function change(): void
    {
        $this->gate->run('UPDATE loads SET kg = kg + 1, updated_at = now() WHERE id % 37 = '.mt_rand(0, 36));
        $this->gate->run("INSERT INTO loads (id, pad) SELECT (SELECT max(id) FROM loads) + g, 'new' FROM generate_series(1, 200) g");
        $this->gate->run("INSERT INTO log (pad) SELECT 'n' FROM generate_series(1, 500)");
        $this->gate->run('UPDATE bands SET price = price + 1 WHERE id % 11 = '.mt_rand(0, 10));
    }

    private function waitUntilEqual(int $seed): void
    {
        $end = microtime(true) + 120;
        do {
            usleep(500_000);
            $differing = [];
            foreach (array_keys(self::FEEDS) as $table) {
                $columns = ['loads' => 'id, pad, kg, updated_at', 'log' => 'id, pad', 'bands' => 'id, pad, price'][$table];
                $sum = "SELECT count(*) || ' ' || coalesce(sum(hashtextextended(ROW({$columns})::text, 0)), 0) FROM";
                try {
                    if ($this->gate->value("{$sum} public.{$table}") !== $this->house->value("{$sum} copy.{$table}")) {
                        $differing[] = $table;
                    }
                } catch (SystemTrouble) {
                    $differing[] = $table;
                }
            }
            if ($differing === []) {
                return;
            }
        } while (microtime(true) < $end);
        self::fail('After restart the copy differs in '.implode(', ', $differing)." (seed {$seed}).");
    }

    private function assertReceiptsJoin(string $feed, int $seed): void
    {
        $uid = $this->own->value('SELECT uid FROM feeds WHERE name = $1', [$feed]);
        $receipts = $this->house->rows('SELECT sequence, from_position, to_position FROM lighterman.receipt WHERE feed = $1 ORDER BY sequence', [$uid]);
        self::assertNotEmpty($receipts);
        foreach ($receipts as $i => $receipt) {
            self::assertSame((string) ($i + 1), $receipt['sequence'], "{$feed}: a gap in the receipts (seed {$seed})");
            if ($i > 0) {
                self::assertSame($receipts[$i - 1]['to_position'], $receipt['from_position'], "{$feed}: receipt ".($i + 1)." does not join (seed {$seed})");
            }
        }
        $copied = (int) $this->own->value('SELECT count(*) FROM receipts r JOIN feeds f ON f.id = r.feed_id WHERE f.name = $1', [$feed]);
        self::assertGreaterThanOrEqual(count($receipts) - 1, $copied, "{$feed}: receipts were not caught up with");
    }

    /** @return resource */
    private function startWorker()
    {
        $process = proc_open([PHP_BINARY, 'bin/lighterman', 'work'], [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], ['file', '/dev/null', 'w']], $pipes, null, $this->environment());
        self::assertIsResource($process);

        return $process;
    }

    /** @param  list<string>  $arguments */
    private function command(array $arguments, string $input = ''): void
    {
        $process = proc_open([PHP_BINARY, 'bin/lighterman', ...$arguments], [['pipe', 'r'], ['pipe', 'w'], ['pipe', 'w']], $pipes, null, $this->environment());
        fwrite($pipes[0], $input);
        fclose($pipes[0]);
        $said = stream_get_contents($pipes[1]).stream_get_contents($pipes[2]);
        self::assertSame(0, proc_close($process), $said);
    }

    /** @return array<string, string> */
    private function environment(): array
    {
        return ['LIGHTERMAN_DB_NAME' => "drill_own_{$this->suffix}", 'LIGHTERMAN_LEASE_SECONDS' => '2'] + getenv();
    }

    private function connect(string $database): Connection
    {
        return new Connection(new PostgresSettings('drill', '127.0.0.1', (int) getenv('LIGHTERMAN_TEST_PG_PORT'), $database, 'lighterman', (string) getenv('LIGHTERMAN_TEST_PG_PASSWORD')), 'drill', readOnly: false);
    }
}
