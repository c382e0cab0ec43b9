<?php

declare(strict_types=1);

namespace Tests\Drills;

use PDO;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

/** Changes by trigger from sources that are not PostgreSQL, with the reader killed at random points. */
final class OtherSourcesKillTest extends DrillCase
{
    private const ROUTE = 'cellar → house';

    /** @var list<resource> */
    private array $work = [];

    private ?PDO $admin = null;

    private string $place = '';

    protected function tearDown(): void
    {
        foreach ($this->work as $process) {
            proc_terminate($process);
            proc_close($process);
        }
        $this->admin?->exec("DROP DATABASE IF EXISTS drill_cellar_{$this->suffix}");
        array_map(unlink(...), glob(sys_get_temp_dir()."/drill_cellar_{$this->suffix}*") ?: []);
        parent::tearDown();
    }

    /** @return array<string, string> how the cellar's own people reach it */
    private function setUpCellar(string $kind): array
    {
        if ($kind === 'sqlite') {
            $this->place = sys_get_temp_dir()."/drill_cellar_{$this->suffix}.db";
            (new PDO("sqlite:{$this->place}"))->exec('PRAGMA journal_mode = WAL');
            $this->command(['system:add', 'cellar', '--kind=sqlite', "--path={$this->place}"]);

            return ['CELLAR_DSN' => "sqlite:{$this->place}"];
        }
        [$port, $password] = [(string) getenv('LIGHTERMAN_TEST_MARIA_PORT'), (string) getenv('LIGHTERMAN_TEST_MARIA_PASSWORD')];
        $this->admin = new PDO("mysql:host=127.0.0.1;port={$port}", 'lighterman', $password, [PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION]);
        $this->admin->exec("CREATE DATABASE drill_cellar_{$this->suffix}");
        $this->command(['system:add', 'cellar', '--kind=mariadb', "--port={$port}", "--database=drill_cellar_{$this->suffix}", '--user=lighterman'], "{$password}\n");

        return ['CELLAR_DSN' => "mysql:host=127.0.0.1;port={$port};dbname=drill_cellar_{$this->suffix}", 'CELLAR_USER' => 'lighterman', 'CELLAR_PASSWORD' => $password];
    }

    /** @param  array<string, string>  $reach */
    private function startWork(array $reach, int $seed): void
    {
        foreach ([$seed, $seed + 1] as $hand) {
            $process = proc_open([PHP_BINARY, 'tests/drills/cellar-work.php', (string) $hand, '250'], [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], STDERR], $pipes, null, $reach + getenv());
            self::assertIsResource($process);
            $this->work[] = $process;
        }
    }

    private function endWork(): void
    {
        array_map(proc_close(...), $this->work);
        $this->work = [];
    }

    #[Test]
    #[TestWith(['mariadb'])]
    #[TestWith(['sqlite'])]
    public function killed_at_random_points_nothing_is_lost_or_doubled(string $kind): void
    {
        $seed = (int) (getenv('LIGHTERMAN_DRILL_SEED') ?: random_int(1, 1_000_000));
        mt_srand($seed);
        $told = "(repeat with LIGHTERMAN_DRILL_SEED={$seed})";
        $reach = $this->setUpCellar($kind);
        $cellar = new PDO($reach['CELLAR_DSN'], $reach['CELLAR_USER'] ?? null, $reach['CELLAR_PASSWORD'] ?? null, [PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION]);
        $cellar->exec('CREATE TABLE casks (id BIGINT NOT NULL PRIMARY KEY, litres DECIMAL(9,1) NOT NULL, note VARCHAR(60))');
        foreach (range(1, 3000, 500) as $first) {
            $cellar->exec('INSERT INTO casks (id, litres) VALUES '.implode(', ', array_map(static fn (int $id): string => "({$id}, 1)", range($first, $first + 499))));
        }
        $table = $kind === 'sqlite' ? 'main.casks' : "drill_cellar_{$this->suffix}.casks";
        $this->loadRoute(<<<YAML
            source: cellar
            target: house
            defaults: { capture: trigger, promise_seconds: 60 }
            feeds:
              - { table: {$table}, name: kept, landed: l.kept }
              - { table: {$table}, name: marked, landed: l.marked, deletes: mark }
              - { table: {$table}, name: versions, landed: l.versions, landing: versions }
              - { table: {$table}, name: journal, landed: l.journal, landing: append }
            YAML);
        $rounds = (int) (getenv('LIGHTERMAN_DRILL_ROUNDS') ?: 4);
        for ($round = 0; $round < $rounds; $round++) {
            $this->startWork($reach, $seed + 2 * $round);
            $reader = proc_open([PHP_BINARY, 'bin/lighterman', 'log:read', self::ROUTE], [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], ['file', '/dev/null', 'w']], $pipes, null, $this->environment());
            self::assertIsResource($reader);
            usleep(mt_rand(300_000, 3_000_000));
            proc_terminate($reader, SIGKILL);
            proc_close($reader);
        }
        $this->endWork();
        $this->waitUntil('the lease has run out', fn (): bool => $this->own->value('SELECT count(*) FROM leases WHERE log_id IS NOT NULL AND expires_at > clock_timestamp()') === '0', 30);
        $this->command(['log:read', self::ROUTE, '--drain']);
        // Where every reader was killed before the tables were loaded, no change has been read yet.
        $this->startWork($reach, $seed + 2 * $rounds);
        $this->endWork();
        $this->command(['log:read', self::ROUTE, '--drain']);

        $rows = array_map(static fn (array $row): string => implode('|', array_map(static fn ($v): string => is_numeric($v) ? (string) (float) $v : ($v ?? 'null'), $row)), $cellar->query('SELECT id, litres, note FROM casks ORDER BY id')->fetchAll(PDO::FETCH_NUM));
        $journal = '(SELECT id, litres, note FROM (SELECT DISTINCT ON (id) * FROM (
            SELECT id, litres, note, source_position, change_kind FROM l.journal UNION ALL
            SELECT (row_before->>\'id\')::bigint, NULL, NULL, source_position, \'delete\' FROM l.journal WHERE change_kind = \'update\' AND (row_before->>\'id\')::bigint <> id) e
            ORDER BY id, source_position DESC, change_kind DESC) last WHERE change_kind <> \'delete\') j';
        foreach (['l.kept', 'l.marked WHERE deleted_at IS NULL', 'l.versions WHERE is_current', $journal] as $copy) {
            $there = array_map(static fn (array $r): string => ((float) $r['id']).'|'.((float) $r['litres']).'|'.($r['note'] ?? 'null'), $this->house->rows("SELECT id, litres, note FROM {$copy} ORDER BY id"));
            self::assertSame([[], []], [array_slice(array_diff($rows, $there), 0, 3), array_slice(array_diff($there, $rows), 0, 3)], "{$copy} {$told}");
            self::assertCount(count($rows), $there, "{$copy} {$told}");
        }
        self::assertSame('0', $this->house->value('SELECT count(*) FROM (SELECT 1 FROM l.journal GROUP BY id, source_position HAVING count(*) > 1) d'), "a change is in the journal twice {$told}");
        self::assertGreaterThan(300, (int) $this->house->value("SELECT count(*) FROM l.journal WHERE change_kind <> 'load'"), "too little happened to prove anything {$told}");
        foreach (['kept', 'marked', 'versions', 'journal'] as $feed) {
            $this->assertReceiptsJoin($feed, $told);
        }
    }
}
