<?php

declare(strict_types=1);

namespace Tests\Drills;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\TestCase;

/** A Lighterman of its own on the test server, with real worker processes that can be killed. */
abstract class DrillCase extends TestCase
{
    protected Connection $gate;

    protected Connection $house;

    protected Connection $own;

    protected string $suffix;

    protected function setUp(): void
    {
        $this->suffix = bin2hex(random_bytes(3));
        foreach (['gate', 'house', 'own'] as $name) {
            $admin = $this->connect('postgres', $name);
            $admin->run("CREATE DATABASE drill_{$name}_{$this->suffix}");
            $admin->close();
            $this->{$name} = $this->connect("drill_{$name}_{$this->suffix}", $name);
        }
        $this->command(['migrate', '--force', '--quiet']);
        foreach (['gate', 'house'] as $name) {
            $this->command(['system:add', $name, '--port='.$this->portFor($name), "--database=drill_{$name}_{$this->suffix}", '--user=lighterman'], $this->server($name)[1]."\n");
        }
    }

    protected function tearDown(): void
    {
        foreach (['gate', 'house', 'own'] as $name) {
            $this->{$name}->close();
            $admin = $this->connect('postgres', $name);
            $admin->run("DROP DATABASE IF EXISTS drill_{$name}_{$this->suffix} WITH (FORCE)");
            $admin->close();
        }
    }

    /**
     * Starts a worker, and kills it with its children once it has begun a run.
     *
     * @param  callable(): void  $meanwhile
     * @param  int  $most  milliseconds until it is killed
     * @return int runs that were under way
     */
    protected function killedInARun(callable $meanwhile, int $most): int
    {
        $known = (string) $this->own->value('SELECT coalesce(max(id), 0) FROM runs');
        $worker = $this->startWorker();
        $meanwhile();
        // Whoever was killed before holds its lease for a moment yet.
        for ($until = microtime(true) + 8; microtime(true) < $until && $this->own->value('SELECT count(*) FROM runs WHERE id > $1', [$known]) === '0'; usleep(20_000)) {
            continue;
        }
        usleep(mt_rand(0, $most) * 1000);
        $running = (int) $this->own->value("SELECT count(*) FROM runs WHERE id > \$1 AND state = 'running'", [$known]);
        $children = array_map(intval(...), array_filter(explode("\n", (string) shell_exec('pgrep -P '.proc_get_status($worker)['pid']))));
        proc_terminate($worker, SIGKILL);
        array_map(static fn (int $pid): bool => posix_kill($pid, SIGKILL), $children);
        proc_close($worker);

        return $running;
    }

    /** Slots of a source that goes, which belong to nobody afterwards. */
    protected function dropSlots(): void
    {
        $this->gate->run('SELECT pg_terminate_backend(active_pid, 5000) FROM pg_replication_slots WHERE database = current_database() AND active');
        $this->gate->run('SELECT pg_drop_replication_slot(slot_name) FROM pg_replication_slots WHERE database = current_database()');
    }

    /** @param  resource  $worker */
    protected function stopWorker($worker): void
    {
        proc_terminate($worker, SIGTERM);
        proc_close($worker);
    }

    protected function loadRoute(string $yaml): void
    {
        $file = tempnam(sys_get_temp_dir(), 'drill').'.yaml';
        file_put_contents($file, $yaml);
        $this->command(['route:load', $file]);
        unlink($file);
    }

    /** Whether a table and its copy hold the same rows, by a sum over all of them. */
    protected function equal(string $table, string $copy, string $columns): bool
    {
        $sum = "SELECT count(*) || ' ' || coalesce(sum(hashtextextended(ROW({$columns})::text, 0)), 0) FROM";
        try {
            return $this->gate->value("{$sum} {$table}") === $this->house->value("{$sum} {$copy}");
        } catch (SystemTrouble) {
            return false;
        }
    }

    /** @param  callable(): bool  $holds */
    protected function waitUntil(string $what, callable $holds, int $seconds = 120): void
    {
        for ($end = microtime(true) + $seconds; microtime(true) < $end; usleep(500_000)) {
            if ($holds()) {
                return;
            }
        }
        self::fail("Not within {$seconds} s: {$what}.");
    }

    protected function assertReceiptsJoin(string $feed, string $seed = ''): void
    {
        $uid = $this->own->value('SELECT uid FROM feeds WHERE name = $1', [$feed]);
        $receipts = $this->house->rows('SELECT sequence, from_position, to_position FROM lighterman.receipt WHERE feed = $1 ORDER BY sequence', [$uid]);
        self::assertNotEmpty($receipts);
        foreach ($receipts as $i => $receipt) {
            self::assertSame((string) ($i + 1), $receipt['sequence'], "{$feed}: a gap in the receipts {$seed}");
            if ($i > 0) {
                self::assertSame($receipts[$i - 1]['to_position'], $receipt['from_position'], "{$feed}: receipt ".($i + 1)." does not join {$seed}");
            }
        }
        $copied = (int) $this->own->value('SELECT count(*) FROM receipts r JOIN feeds f ON f.id = r.feed_id WHERE f.name = $1', [$feed]);
        self::assertGreaterThanOrEqual(count($receipts) - 1, $copied, "{$feed}: receipts were not caught up with");
    }

    /** @return resource */
    protected function startWorker()
    {
        $process = proc_open([PHP_BINARY, 'bin/lighterman', 'work'], [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], ['file', '/dev/null', 'w']], $pipes, null, $this->environment());
        self::assertIsResource($process);

        return $process;
    }

    /** @param  list<string>  $arguments */
    protected function command(array $arguments, string $input = ''): void
    {
        $process = proc_open([PHP_BINARY, 'bin/lighterman', ...$arguments], [['pipe', 'r'], ['pipe', 'w'], ['pipe', 'w']], $pipes, null, $this->environment());
        fwrite($pipes[0], $input);
        fclose($pipes[0]);
        $said = stream_get_contents($pipes[1]).stream_get_contents($pipes[2]);
        self::assertSame(0, proc_close($process), $said);
    }

    /** @return array<string, string> */
    protected function environment(): array
    {
        return ['LIGHTERMAN_DB_NAME' => "drill_own_{$this->suffix}", 'LIGHTERMAN_LEASE_SECONDS' => '2'] + getenv();
    }

    /** @return array{int, string} port and password of the server that holds the databases of a role (gate, house or own) */
    protected function server(string $role): array
    {
        return [(int) getenv('LIGHTERMAN_TEST_PG_PORT'), (string) getenv('LIGHTERMAN_TEST_PG_PASSWORD')];
    }

    /** The port by which Lighterman is to reach it. */
    protected function portFor(string $role): int
    {
        return $this->server($role)[0];
    }

    protected function connect(string $database, string $role): Connection
    {
        [$port, $password] = $this->server($role);

        return new Connection(new PostgresSettings('drill', '127.0.0.1', $port, $database, 'lighterman', $password), 'drill', readOnly: false);
    }
}
