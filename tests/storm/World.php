<?php

declare(strict_types=1);

namespace Tests\Storm;

use App\Feeds\AsideDesk;
use App\Feeds\DraftBook;
use App\Feeds\FeedBook;
use App\Feeds\SystemBook;
use App\Models\Feed;
use App\Models\RouteLog;
use App\Models\SetAside;
use App\Runtime\Common\Systems;
use App\Runtime\Work\Workers;
use Illuminate\Support\Facades\Artisan;
use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Connectors\Tests\StandInStore;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Treatment\Line;
use Lighterman\Core\Treatment\Sheet;
use Lighterman\Core\Trouble\Act;
use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\SystemTrouble;
use PDO;
use Symfony\Component\Yaml\Yaml;

/** A source, its targets and a Lighterman with real workers, in which a story is played. */
final class World
{
    /** Within this time of the last act every feed has to be on time, or to have named a remedy that was followed. */
    private const REST_SECONDS = 75;

    /** For so long a feed may say that it is on time while what was done is not noticed yet; it is looked once a second here. */
    private const NOTICE_SECONDS = 6;

    private const REMEDIES = 12;

    private readonly Connection $gate;

    private readonly Connection $house;

    private readonly string $lake;

    /** Where a feed lands in an object store. */
    private ?StandInStore $store = null;

    private readonly PDO $mariadb;

    private readonly PDO $sqlite;

    private readonly string $file;

    /** Whom the feeds read and write as: the owner of the tables, and nobody more. */
    private readonly string $role;

    private readonly string $password;

    private readonly string $drop;

    /** @var list<Table|OtherTable|FileTable> */
    private array $tables = [];

    /** @var list<resource> */
    private array $workers = [];

    /** @var array<string, int> remedies followed, by feed */
    private array $remedies = [];

    /** @var list<string> what was done, to be told with a violation */
    public array $told = [];

    /** @param  array<string, string>  $environment  of worker processes */
    public function __construct(private readonly Story $story, private readonly array $environment)
    {
        $suffix = bin2hex(random_bytes(3));
        [$this->role, $this->password] = ["storm_{$suffix}", bin2hex(random_bytes(8))];
        $admin = self::connect('postgres');
        $admin->run("CREATE ROLE {$this->role} LOGIN REPLICATION PASSWORD '{$this->password}' IN ROLE pg_read_all_stats");
        foreach (['gate', 'house'] as $side) {
            $admin->run("CREATE DATABASE storm_{$side}_{$suffix}");
            // Who breaks down may forget nothing that was committed.
            $admin->run("ALTER DATABASE storm_{$side}_{$suffix} SET synchronous_commit = on");
            $admin->run("GRANT CREATE ON DATABASE storm_{$side}_{$suffix} TO {$this->role}");
        }
        $admin->close();
        $this->gate = self::connect("storm_gate_{$suffix}");
        $this->house = self::connect("storm_house_{$suffix}");
        $this->lake = sys_get_temp_dir()."/storm-lake-{$suffix}";
        mkdir($this->lake);
        DB::statement('TRUNCATE systems, routes, feeds, people RESTART IDENTITY CASCADE');
        app(Systems::class)->forget();
        foreach (['gate', 'house'] as $side) {
            SystemBook::add($side, ['host' => '127.0.0.1', 'port' => (int) getenv('LIGHTERMAN_TEST_PG_PORT'), 'database' => "storm_{$side}_{$suffix}", 'user' => $this->role, 'tls' => 'prefer'], $this->password);
        }
        SystemBook::add('lake', ['path' => $this->lake], '', 'lake');
        if (in_array('store', array_column($story->feeds, 'target'), true) || in_array('boxes', array_column($story->tables, 'system'), true)) {
            $this->store = new StandInStore;
            foreach (['store' => ['lake', 'lake-store'], 'boxes' => ['drop', 'files-store']] as $system => [$prefix, $kind]) {
                SystemBook::add($system, ['endpoint' => "http://127.0.0.1:{$this->store->port}", 'region' => 'us-east-1', 'bucket' => 'cider', 'prefix' => $prefix, 'user' => 'press', 'addressing' => 'path'], 'invented-secret', $kind);
            }
        }
        [$port, $password] = [(int) getenv('LIGHTERMAN_TEST_MARIA_PORT'), (string) getenv('LIGHTERMAN_TEST_MARIA_PASSWORD')];
        $this->mariadb = new PDO("mysql:host=127.0.0.1;port={$port}", 'lighterman', $password, [PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION]);
        $this->mariadb->exec("CREATE DATABASE storm_{$suffix}; USE storm_{$suffix}");
        SystemBook::add('mariadb', ['host' => '127.0.0.1', 'port' => $port, 'database' => "storm_{$suffix}", 'user' => 'lighterman', 'tls' => 'prefer'], $password, 'mariadb');
        $this->file = sys_get_temp_dir()."/storm-{$suffix}.db";
        $this->sqlite = new PDO("sqlite:{$this->file}", null, null, [PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION, PDO::ATTR_TIMEOUT => 10]);
        $this->sqlite->exec('PRAGMA journal_mode = WAL');
        SystemBook::add('sqlite', ['path' => $this->file], '', 'sqlite');
        $this->drop = sys_get_temp_dir()."/storm-files-{$suffix}";
        mkdir($this->drop);
        SystemBook::add('files', ['path' => $this->drop], '', 'files');
    }

    private static function connect(string $database): Connection
    {
        return new Connection(new PostgresSettings('storm', '127.0.0.1', (int) getenv('LIGHTERMAN_TEST_PG_PORT'), $database, 'lighterman', (string) getenv('LIGHTERMAN_TEST_PG_PASSWORD')), 'storm', readOnly: false);
    }

    /** @throws Violation */
    public function play(): void
    {
        $this->gate->run("CREATE TABLE public.bands (code int PRIMARY KEY, name text); INSERT INTO bands SELECT g, 'band ' || g FROM generate_series(0, ".Checks::BANDS." - 1) g; ALTER TABLE bands OWNER TO {$this->role}");
        foreach ($this->story->tables as $told) {
            if (isset($told['system'])) {
                $this->tables[] = $table = in_array($told['system'], ['files', 'boxes'], true) ? FileTable::fromArray($told, $this->drop, $this->store) : OtherTable::fromArray($told, $told['system'] === 'sqlite' ? $this->sqlite : $this->mariadb);
                $table->create();

                continue;
            }
            $this->tables[] = $table = Table::fromArray($told, $this->role);
            $this->gate->run($table->create());
            $this->gate->run($table->insert(1, 700));
        }
        $this->startFeeds();
        $this->workers = [$this->startWorker(0), $this->startWorker(1)];
        foreach ($this->story->steps as $number => $step) {
            $this->told[] = "{$number}: ".json_encode($step);
            $this->act($step);
        }
        $this->quiet();
    }

    /** @return list<string> what the runs of feeds that change came to say last, and who reads for whom */
    public function lines(): array
    {
        return [
            ...array_map(static fn (object $l): string => "{$l->at} {$l->name} {$l->kind} {$l->state}: {$l->said}", array_reverse(DB::select("SELECT l.at, f.name, r.kind, r.state, l.said FROM run_lines l JOIN runs r ON r.id = l.run_id JOIN feeds f ON f.id = r.feed_id WHERE l.said NOT LIKE 'Reads % whole.' ORDER BY l.id DESC LIMIT 60"))),
            ...array_map(static fn (object $l): string => 'log '.json_encode($l), DB::select('SELECT *, clock_timestamp() AS now FROM route_logs')),
            ...array_map(static fn (object $l): string => 'session '.json_encode($l), DB::select("SELECT datname, application_name, state, wait_event, backend_xmin, clock_timestamp() - xact_start AS open, left(query, 120) AS query FROM pg_stat_activity WHERE datname LIKE 'storm%' AND pid <> pg_backend_pid()")),
        ];
    }

    private function startFeeds(): void
    {
        $routes = [];
        foreach ($this->story->feeds as $f) {
            $changes = in_array($f['capture'], ['log', 'trigger'], true);
            $system = $this->story->tables[$f['table']]['system'] ?? 'gate';
            if ($this->tables[$f['table']] instanceof FileTable) {
                $routes["{$system} {$f['target']}"][] = $this->filesFeed($f);

                continue;
            }
            $schema = ['gate' => 'public', 'sqlite' => 'main', 'mariadb' => $this->mariadb->query('SELECT DATABASE()')?->fetchColumn()][$system];
            $routes["{$system} {$f['target']}"][] = array_filter([
                'name' => $f['name'], 'table' => "{$schema}.{$this->tables[$f['table']]->name}", 'capture' => $f['capture'], 'landing' => $f['landing'], 'key' => $this->tables[$f['table']]->keyColumns(), 'landed' => "copy.{$f['name']}",
                'watermark' => $f['capture'] === 'watermark' ? 'touched' : null, 'deletes' => $changes && $f['landing'] === 'upsert' ? $f['deletes'] : null, 'truncates' => $changes ? $f['truncates'] : null,
                'schedule' => $changes ? null : ['continuous_pause_seconds' => 1], 'promise_seconds' => 86400,
                'treatment' => self::treatment($f),
            ], static fn (mixed $v): bool => $v !== null);
        }
        foreach ($routes as $way => $feeds) {
            [$source, $target] = explode(' ', $way);
            $file = tempnam(sys_get_temp_dir(), 'storm').'.yaml';
            file_put_contents($file, Yaml::dump(['source' => $source, 'target' => $target, 'feeds' => $feeds], 6));
            $code = Artisan::call('route:load', ['file' => $file]);
            unlink($file);
            if ($code !== 0) {
                throw new \LogicException('The route could not be loaded: '.Artisan::output());
            }
        }
    }

    /**
     * @param  array<string, mixed>  $f
     * @return array<string, mixed>
     */
    private function filesFeed(array $f): array
    {
        $table = $this->tables[$f['table']];

        return ['name' => $f['name'], 'table' => $table instanceof FileTable ? $table->pattern() : '', 'capture' => $f['capture'], 'landing' => $f['landing'], 'landed' => "copy.{$f['name']}", 'schedule' => ['continuous_pause_seconds' => 1], 'promise_seconds' => 86400,
            'files' => ['changed' => 'again', 'quiet_seconds' => 1, 'types' => ['id' => 'int32', 'amount' => 'decimal(12,2)', 'note' => 'text'], 'file_column' => null, 'line_column' => null]] + ($f['capture'] === 'files' ? ['key' => ['id']] : []);
    }

    /**
     * @param  array<string, mixed>  $f
     * @return array<string, mixed>|null
     */
    private static function treatment(array $f): ?array
    {
        return match ($f['treated'] ?? false) {
            'forks' => ['failing' => 'set_aside', 'forks' => [['name' => 'odd seconds', 'when' => 'second(touched) % 2 == 1', 'landed' => "copy.{$f['name']}_odd"]], 'otherwise' => 'land'],
            'lookup' => ['failing' => 'set_aside', 'columns' => [['as' => 'band', 'steps' => [['derive' => 'id % 10', 'type' => 'int64'], ['lookup' => 'public.bands', 'system' => 'gate', 'match' => 'code', 'take' => 'name', 'match_type' => 'int32', 'type' => 'text', 'else' => 'use', 'use' => 'unknown']]]]],
            'explode' => ['failing' => 'set_aside', 'explode' => ['column' => 'list', 'number' => 'list_no']],
            false => null,
            default => ['failing' => 'set_aside', 'columns' => [['as' => 'twice', 'steps' => [['derive' => 'id * 2', 'type' => 'int64']]]], 'checks' => [['check' => 'expression', 'expression' => 'id % '.Story::SET_ASIDE.' != 0', 'else' => 'set_aside']]],
        };
    }

    /** @return resource a worker on a machine with a clock of its own */
    private function startWorker(int $number)
    {
        is_file($this->clock($number)) || $this->setClock($number, 0);
        $process = proc_open([PHP_BINARY, 'bin/lighterman', 'work'], [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], ['file', '/dev/null', 'w']], $pipes, null, $this->environment
            + ['LD_PRELOAD' => glob('/usr/lib/*/faketime/libfaketime.so.1')[0] ?? throw new \LogicException('The package faketime is missing; bin/test installs it.'), 'FAKETIME_TIMESTAMP_FILE' => $this->clock($number), 'FAKETIME_CACHE_DURATION' => '1', 'FAKETIME_DONT_FAKE_MONOTONIC' => '1']);

        return is_resource($process) ? $process : throw new \LogicException('A worker could not be started.');
    }

    /** Where it stands by how many seconds the clock of a worker's machine is set wrong. */
    private function clock(int $worker): string
    {
        return "{$this->file}-clock-{$worker}";
    }

    private function setClock(int $worker, int $seconds): void
    {
        file_put_contents($this->clock($worker), sprintf('%+d', $seconds));
    }

    /** @return list<int> the workers and the readers that are their children */
    private function processes(): array
    {
        $pids = array_map(static fn ($w): int => proc_get_status($w)['pid'], $this->workers);
        foreach ($pids as $pid) {
            array_push($pids, ...array_map(intval(...), array_filter(explode("\n", (string) shell_exec("pgrep -P {$pid}")))));
        }

        return $pids;
    }

    /** @param  array<string, mixed>  $step */
    private function act(array $step): void
    {
        $table = $this->tables[$step['table']];
        $n = (int) $step['n'];
        if ($step['act'] === 'mixed') {
            array_map(static fn (Table|OtherTable|FileTable $t) => $t instanceof Table ? null : $t->act('mixed', $n), $this->tables);
            $this->atGate('BEGIN; '.implode('; ', array_merge(['SELECT 1'], ...array_map(static fn (Table|OtherTable|FileTable $t): array => $t instanceof Table ? $t->changes($n) : [], $this->tables))).'; COMMIT');

            return;
        }
        if (! $table instanceof Table) {
            $table->act($step['act'], $n) || $this->actBeyond($step, $table, $n);

            return;
        }
        $name = $table->name;
        $transaction = static fn (array $sql): string => 'BEGIN; '.implode('; ', $sql).'; COMMIT';
        match ($step['act']) {
            'change' => $this->atGate($transaction($table->changes($n))),
            'burst' => array_map(fn (int $i) => $this->atGate($table->update($n + $i, 9)), range(1, 25)),
            'truncate' => $this->atGate("TRUNCATE {$name}"),
            'move' => $this->atGate($table->move($n)),
            'swap' => $this->atGate($table->swap($n)),
            'rollback' => $this->atGate('BEGIN; '.implode('; ', $table->changes($n)).'; ROLLBACK'),
            'rename_and_back' => $this->column($table, $n, fn (string $c) => $this->atGate("BEGIN; {$table->update($n, 40)}; ALTER TABLE {$name} RENAME {$c} TO passing; {$this->write($table, $c, 'passing', $n)}; ALTER TABLE {$name} RENAME passing TO {$c}; {$table->update($n + 1, 40)}; COMMIT")),
            'drop_and_add' => $this->column($table, $n, fn (string $c) => $this->atGate("BEGIN; {$table->update($n, 40)}; ALTER TABLE {$name} DROP {$c}; UPDATE {$name} SET touched = clock_timestamp() WHERE hashtext(id::text) % 30 = 0; ALTER TABLE {$name} ADD {$c} {$table->type($c)}; {$table->update($n + 1, 40)}; COMMIT")),
            'alter_and_write' => $this->column($table, $n, fn (string $c) => $this->atGate("BEGIN; ALTER TABLE {$name} ALTER {$c} TYPE {$table->type($c)} USING CASE WHEN {$c} IS NULL THEN (SELECT {$table->expression($table->type($c))} FROM (SELECT {$n} AS g) s) ELSE {$c} END; {$table->update($n, 40)}; COMMIT")),
            'add_column' => $this->addColumn($table, $n),
            'drop_column' => $this->dropColumn($table, $n),
            'widen' => $this->widen($table, $n),
            'rename_column' => $this->renameColumn($table, $n),
            'revoke_source' => $this->atGate("REVOKE SELECT ON {$name} FROM {$this->role}; {$table->update($n, 20)}"),
            'revoke_replication' => $this->atGate("ALTER ROLE {$this->role} NOREPLICATION; SELECT pg_terminate_backend(active_pid) FROM pg_replication_slots WHERE database = current_database() AND active"),
            'make_again' => $this->atGate("BEGIN; CREATE TABLE public.again AS TABLE {$name}; DROP TABLE {$name} CASCADE; ".$table->create()."; INSERT INTO {$name} SELECT * FROM again WHERE hashtext(id::text) % 5 <> 0; DROP TABLE again; COMMIT"),
            'attach' => $table->key === 'parted' ? $this->atGate("DROP TABLE IF EXISTS public.{$name}_more; CREATE TABLE public.{$name}_more (LIKE {$name} INCLUDING ALL); ALTER TABLE {$name}_more REPLICA IDENTITY FULL; INSERT INTO {$name}_more SELECT * FROM {$name} WHERE id BETWEEN 1000 AND 1100 ON CONFLICT DO NOTHING; UPDATE {$name}_more SET id = id + 1000000; ALTER TABLE {$name} ATTACH PARTITION {$name}_more FOR VALUES FROM (1000000) TO (2000000)") : null,
            'detach' => $table->key === 'parted' ? $this->atGate("ALTER TABLE {$name} DETACH PARTITION {$name}_high; ALTER TABLE {$name}_high RENAME TO {$name}_gone_{$n}; CREATE TABLE public.{$name}_high PARTITION OF {$name} FOR VALUES FROM (1000) TO (1000000); ALTER TABLE {$name}_high REPLICA IDENTITY FULL") : null,
            'part' => $table->key === 'parted' ? $this->atGate("CREATE TABLE public.{$name}_part_{$n} PARTITION OF {$name} FOR VALUES FROM (".(3_000_000 + $n * 10).') TO ('.(3_000_010 + $n * 10)."); INSERT INTO {$name} (id) VALUES (".(3_000_001 + $n * 10).')') : null,
            'truncate_part' => $table->key === 'parted' ? $this->atGate("TRUNCATE {$name}_low") : null,
            'meddle_publication' => $this->meddlePublication($table, $n),
            'meddle_trigger' => $this->atGate("ALTER TABLE {$name} DISABLE TRIGGER USER; {$table->update($n, 11)}; DELETE FROM {$name} WHERE hashtext(id::text) % 53 = 0".($n % 2 === 0 ? "; ALTER TABLE {$name} ENABLE TRIGGER USER" : '')),
            'as_replica' => $this->atGate("SET session_replication_role = replica; {$table->update($n, 13)}; SET session_replication_role = origin"),
            'drop_slot' => $this->atGate('SELECT pg_terminate_backend(active_pid, 3000) FROM pg_replication_slots WHERE database = current_database() AND active; SELECT pg_drop_replication_slot(slot_name) FROM pg_replication_slots WHERE database = current_database() AND NOT active'),
            default => $this->actBeyond($step, $table, $n),
        };
    }

    /**
     * What is done to a target, to Lighterman's feeds or to its processes.
     *
     * @param  array<string, mixed>  $step
     */
    private function actBeyond(array $step, Table|OtherTable|FileTable $table, int $n): void
    {
        $told = $this->story->feeds[$step['feed']] ?? $this->story->feeds[0];
        $landed = '"copy"."'.$told['name'].'"';
        $feed = static fn (): Feed => Feed::with('route.source', 'route.target', 'route.logs', 'definition')->where('name', $told['name'])->sole();
        $house = $told['target'] === 'house';
        match ($step['act']) {
            'drop_landed' => $house ? $this->atHouse("DROP TABLE IF EXISTS {$landed}") : null,
            'truncate_landed' => $house ? $this->atHouse("TRUNCATE {$landed}") : null,
            'vacuum_landed' => $house ? $this->atHouse("VACUUM FULL {$landed}") : null,
            'drop_landed_column' => $house && $table instanceof Table ? $this->column($table, $n, fn (string $c) => $this->atHouse("ALTER TABLE {$landed} DROP IF EXISTS {$c}; ALTER TABLE {$landed} ADD {$c} {$table->type($c)}")) : null,
            'revoke_landed' => $house ? $this->atHouse('REVOKE '.['SELECT', 'INSERT', 'UPDATE, DELETE', 'ALL'][$n % 4]." ON {$landed} FROM {$this->role}") : null,
            'clock' => $this->setClock($n % 2, [-400, -40, -3, 0, 5, 60, 400][$n % 7]),
            'rename_landed' => $told['landing'] === 'upsert' && $table instanceof Table ? $this->column($table, $n, fn (string $c) => $this->renameLanded($feed(), $c)) : null,
            'go_back' => $this->goBack($feed(), $n),
            'store_trouble' => $this->storeTrouble($n),
            'remove_page' => array_map(unlink(...), array_slice($this->pages($feed()), $n % 2 === 0 ? -1 : -2)),
            'damage_page' => $this->damagePage($feed(), $n),
            'pause' => FeedBook::pause([$feed()]),
            'resume' => $feed()->paused_at === null ? null : FeedBook::resume([$feed()]),
            'load_again' => $this->reload($feed(), Slice::whole()),
            'load_range' => ! $table instanceof FileTable && $table->key === 'int' ? $this->reload($feed(), Slice::range([(string) ($n % 400)], [(string) ($n % 400 + 200)])) : null,
            'load_keys' => ! $table instanceof FileTable && $table->key === 'int' ? $this->reload($feed(), Slice::keys([[(string) ($n % 700)], [(string) ($n % 700 + 1)], ['9999999']])) : null,
            'start_over' => $this->startOver($feed()),
            'kill' => $this->kill($n),
            'freeze' => $this->freeze($table, $n),
            'send_again' => AsideDesk::send($feed(), SetAside::where('feed_id', $feed()->id)),
            'restart' => $this->restart($n),
            'cut_source' => $this->cut($this->gate, $n),
            'cut_target' => $this->cut($this->house, $n),
            'wait' => usleep(($n % 1500) * 1000),
            'quiet' => $this->quiet(),
            default => throw new \LogicException("Nobody knows how to {$step['act']}."),
        };
    }

    /** A store is busy, breaks off, does not say what it has, or says that all is well. */
    private function storeTrouble(int $n): void
    {
        match ($n % 4) {
            0 => $this->store?->failNext(1 + $n % 12), 1 => $this->store?->failHead(1 + $n % 5), 2 => $this->store?->cut(500 + $n % 3000, 1 + $n % 4), default => $this->store?->failPut($n % 7),
        };
    }

    /** @return list<string> pages of a feed's book in the lake's folder, the newest last; none while there are too few to lose some */
    private function pages(Feed $feed): array
    {
        $book = $feed->log() === null ? "feeds/{$feed->uid}" : "routes/{$feed->log()->uid}";
        $pages = $feed->route->target->name === 'lake' ? glob("{$this->lake}/_lighterman/{$book}/*.json") ?: [] : [];

        return count($pages) > 3 ? $pages : [];
    }

    private function damagePage(Feed $feed, int $n): void
    {
        foreach (array_slice($this->pages($feed), -1) as $page) {
            $text = (string) @file_get_contents($page);
            file_put_contents($page, $n % 2 === 0 ? substr($text, 0, intdiv(strlen($text), 2)) : str_replace('"rows":1', '"rows":2', $text));
        }
    }

    /** A person's statement may be refused; then it has done nothing. */
    private function atGate(string $sql): void
    {
        self::at($this->gate, $sql);
    }

    private function atHouse(string $sql): void
    {
        self::at($this->house, $sql);
    }

    private static function at(Connection $connection, string $sql): void
    {
        try {
            $connection->run("SET lock_timeout = '8s'; SET statement_timeout = '20s'");
            $connection->run($sql);
        } catch (SystemTrouble) {
            $connection->rollback();
        }
    }

    /** @param  callable(string): mixed  $act  what is done with one of its columns, if it has any */
    private function column(Table $table, int $n, callable $act): void
    {
        $column = $table->column($n);
        $column === null || $act($column);
    }

    private function write(Table $table, string $column, string $as, int $n): string
    {
        return "UPDATE {$table->name} SET touched = clock_timestamp(), {$as} = (SELECT {$table->expression($table->type($column))} FROM (SELECT {$n} AS g) s) WHERE hashtext(id::text) % 17 = 0";
    }

    private function addColumn(Table $table, int $n): void
    {
        $types = ['int', 'text', 'timestamptz', 'numeric(12,3)'];
        $type = $types[$n % count($types)];
        $name = 'added_'.$n % 100_000;
        $before = $this->shape($table);
        $this->atGate("BEGIN; {$table->update($n, 30)}; ALTER TABLE {$table->name} ADD {$name} {$type} DEFAULT ".match ($type) {
            'int' => '42', 'text' => "'so'", 'timestamptz' => "'2020-01-01 00:00+00'", default => '1.500'
        }."; UPDATE {$table->name} SET {$name} = NULL WHERE hashtext(id::text) % 19 = 0; COMMIT");
        if ($this->shape($table) !== $before) {
            $table->addColumn($name, $type);
        }
    }

    private function dropColumn(Table $table, int $n): void
    {
        $column = $table->column($n);
        if ($column !== null) {
            $before = $this->shape($table);
            $this->atGate("BEGIN; {$table->update($n, 30)}; ALTER TABLE {$table->name} DROP {$column}; COMMIT");
            if ($this->shape($table) !== $before) {
                $table->dropColumn($column);
            }
        }
    }

    private function renameColumn(Table $table, int $n): void
    {
        $column = $table->column($n);
        if ($column !== null) {
            $before = $this->shape($table);
            $this->atGate("BEGIN; {$table->update($n, 30)}; ALTER TABLE {$table->name} RENAME {$column} TO named_".($n % 100_000)."; UPDATE {$table->name} SET touched = clock_timestamp() WHERE hashtext(id::text) % 23 = 0; COMMIT");
            if ($this->shape($table) !== $before) {
                $table->addColumn('named_'.$n % 100_000, $table->type($column));
                $table->dropColumn($column);
            }
        }
    }

    /** Gives a landed column another name, or its own again. */
    private function renameLanded(Feed $feed, string $column): void
    {
        $definition = $feed->definition->parsed();
        $lines = array_values(array_filter($definition->treatment->sheet->lines, static fn (Line $l): bool => $l->from !== $column));
        if (count($lines) === count($definition->treatment->sheet->lines) && $definition->carried()->column($column) !== null) {
            $lines[] = new Line($column, "landed_{$column}");
        }
        $this->asked(fn () => DraftBook::save($feed, DraftBook::definition($feed, $definition->treatment->with(sheet: new Sheet($lines, $definition->treatment->sheet->order))), app(Systems::class)));
    }

    private function goBack(Feed $feed, int $n): void
    {
        $version = $feed->definitions()->where('version', 1 + $n % $feed->definition->version)->sole();
        $this->asked(fn () => DraftBook::goBack($feed, $version, app(Systems::class)));
    }

    /** Does what the page does with a wish that may be refused; then it says why. */
    private function asked(callable $do): void
    {
        try {
            $do();
        } catch (Explained $e) {
            $this->told[] = "refused: {$e->getMessage()} {$e->remedy()->said}";
        }
    }

    private function widen(Table $table, int $n): void
    {
        $column = $table->column($n);
        if ($column === null || $table->type($column) !== 'int') {
            return;
        }
        $before = $this->shape($table);
        $this->atGate("BEGIN; ALTER TABLE {$table->name} ALTER {$column} TYPE bigint; {$table->update($n, 30)}; COMMIT");
        if ($this->shape($table) !== $before) {
            $table->addColumn($column, 'bigint');
        }
    }

    private function shape(Table $table): string
    {
        return (string) $this->gate->value("SELECT string_agg(attname || ' ' || atttypid || ' ' || atttypmod, ', ' ORDER BY attname) FROM pg_attribute WHERE attrelid = '{$table->name}'::regclass AND attnum > 0 AND NOT attisdropped");
    }

    private function meddlePublication(Table $table, int $n): void
    {
        foreach (RouteLog::where('capture', 'log')->pluck('names')->pluck('publication') as $publication) {
            $p = "ALTER PUBLICATION \"{$publication}\"";
            $delete = "DELETE FROM {$table->name} WHERE hashtext(id::text) % 41 = 0; {$table->update($n, 15)}";
            $this->atGate(match ($n % 5) {
                0 => "{$p} SET (publish = 'insert'); {$delete}; {$p} SET (publish = 'insert, update, delete, truncate')",
                1 => "{$p} SET (publish = 'insert, update'); {$delete}",
                2 => "{$p} DROP TABLE {$table->name}; {$delete}; {$p} ADD TABLE {$table->name}",
                3 => "{$p} DROP TABLE {$table->name}; {$delete}",
                default => "{$p} SET (publish_via_partition_root = false); {$delete}",
            });
        }
    }

    private function reload(Feed $feed, Slice $slice): void
    {
        $this->asked(static fn () => FeedBook::reload($feed, $slice));
    }

    private function startOver(Feed $feed): void
    {
        FeedBook::startOver($feed);
        for ($until = microtime(true) + 10; microtime(true) < $until && $feed->refresh()->cancel_asked; usleep(200_000)) {
            continue;
        }
        FeedBook::resume([$feed->refresh()]);
    }

    private function kill(int $n): void
    {
        $pids = $this->processes();
        posix_kill($pids[$n % count($pids)], SIGKILL);
        usleep(100_000);
        foreach ($this->workers as $i => $worker) {
            if (! proc_get_status($worker)['running']) {
                proc_close($worker);
                $this->workers[$i] = $this->startWorker($i);
            }
        }
    }

    private function freeze(Table|OtherTable|FileTable $table, int $n): void
    {
        $pids = $this->processes();
        $pid = $pids[$n % count($pids)];
        posix_kill($pid, SIGSTOP);
        $table instanceof Table ? $this->atGate($table->update($n, 10)) : $table->act('change', $n);
        usleep(3_500_000);
        posix_kill($pid, SIGCONT);
    }

    /** The server of the databases breaks down, or is restarted as one does it. Lighterman's own is on it too. */
    private function restart(int $n): void
    {
        $data = (string) $this->gate->value('SHOW data_directory');
        exec('bash -c '.escapeshellarg('source bin/support/common.sh; as_pg "$(pg_bin)/pg_ctl" -D '.escapeshellarg($data).' -w -m '.($n % 2 === 0 ? 'immediate' : 'fast').' restart').' >/dev/null 2>&1 </dev/null', result_code: $code);
        if ($code !== 0) {
            throw new \LogicException('The server did not come back.');
        }
        DB::purge();
        app(Systems::class)->forget();
        foreach ([$this->gate, $this->house] as $side) {
            self::at($side, 'SELECT 1');
        }
    }

    private function cut(Connection $side, int $n): void
    {
        self::at($side, "SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid() AND pid % 2 = {$n} % 2");
    }

    /**
     * Waits for everything to come to rest, follows the remedies that are named, and compares.
     *
     * @throws Violation
     */
    public function quiet(): void
    {
        $this->remedies = [];
        Feed::whereNotNull('paused_at')->get()->each(fn (Feed $f) => FeedBook::resume([$f]));
        // What one moment of quiet is worth, every clock having passed it.
        usleep(50_000);
        $since = now();
        $unequal = [];
        $tables = array_combine(array_column($this->story->feeds, 'name'), array_map(fn (array $f): Table|OtherTable|FileTable => $this->tables[$f['table']], $this->story->feeds));
        $checks = new Checks($this->gate, $this->house, array_filter($tables, static fn (Table|OtherTable|FileTable $t): bool => $t instanceof OtherTable), array_filter($tables, static fn (Table|OtherTable|FileTable $t): bool => $t instanceof FileTable));
        for ($until = microtime(true) + self::REST_SECONDS; ; usleep(250_000)) {
            $rest = true;
            foreach (Feed::with('route.source', 'route.target', 'route.logs', 'definition')->orderBy('id')->get() as $feed) {
                $state = $feed->state();
                if ($state !== 'on time' || $feed->complete_up_to?->lessThan($since)) {
                    $rest = false;
                    unset($unequal[$feed->id]);
                    $this->follow($feed, $state);

                    continue;
                }
                $differs = $checks->differs($feed);
                if ($differs === null) {
                    unset($unequal[$feed->id]);

                    continue;
                }
                $rest = false;
                $unequal[$feed->id] ??= microtime(true);
                if (microtime(true) - $unequal[$feed->id] > self::NOTICE_SECONDS && Feed::findOrFail($feed->id)->state() === 'on time') {
                    throw new Violation("{$feed->name} ({$feed->capture}, {$feed->definition->body['landing']}, {$feed->route->target->name}) says that it is on time: {$differs}");
                }
            }
            if ($rest) {
                break;
            }
            if (microtime(true) > $until) {
                throw new Violation('No rest was found: '.$this->states().($unequal === [] ? '' : ' unequal: '.implode(', ', array_map(static fn (int $id): string => $checks->differs(Feed::findOrFail($id)) ?? 'no more', array_keys($unequal)))));
            }
        }
        $wrong = $checks->figures();
        if ($wrong !== null) {
            throw new Violation($wrong);
        }
    }

    /** Does what the page of a feed says. */
    private function follow(Feed $feed, string $state): void
    {
        $log = $feed->log();
        foreach ([$feed->trouble?->message, $log?->trouble?->message] as $said) {
            // "Without one, remove it." Said above every feed of a route whose page it is, also while they are not late yet.
            preg_match('~^(/\S+\.json) is not as it was written~', (string) $said, $page) === 1 && @unlink($page[1]);
        }
        if (! in_array($state, ['failed', 'held'], true) || $feed->cancel_asked) {
            return;
        }
        if ($log?->hasFailed() !== true && $state === 'failed' && $feed->due_at !== null && ($feed->trouble->passing ?? true)) {
            // It says that it tries again by itself.
            return;
        }
        $this->remedies[$feed->name] = ($this->remedies[$feed->name] ?? 0) + 1;
        if ($this->remedies[$feed->name] > self::REMEDIES) {
            throw new Violation("{$feed->name}: the remedy does not help: ".$this->states());
        }
        try {
            if ($log?->hasFailed() === true) {
                $this->runStatements((string) $log->trouble?->message, (string) $log->trouble?->remedy);
                $log->trouble?->remedy->act === Act::BeginAnew ? FeedBook::beginAnew($log) : FeedBook::wake($feed->route);
            } else {
                match ($feed->trouble?->remedy->act) {
                    Act::AgreeToShape => $this->agree($feed),
                    Act::DecideEmptied => FeedBook::decideEmptied($feed, 'carry'),
                    // "A feed of files is started over instead."
                    Act::LoadAgain => $feed->kind()->loadsAgain() ? FeedBook::reload($feed, Slice::whole()) : $this->startOver($feed),
                    Act::StartOver => $this->startOver($feed),
                    default => $this->mend($feed),
                };
            }
        } catch (Explained $e) {
            $this->told[] = "{$feed->name}: {$e->getMessage()} {$e->remedy()->said}";
        }
        usleep(400_000);
    }

    private function agree(Feed $feed): void
    {
        try {
            FeedBook::agreeToPresent($feed, app(Systems::class));
        } catch (Explained $e) {
            if ($e->remedy()->act === Act::StartOver) {
                $this->startOver($feed);
            }
            // "Change it on the feed's columns or checks."
            preg_match('/treatment: the source has no column "(\w+)", which/', $e->getMessage(), $named) === 1 && $this->renameLanded($feed, $named[1]);
            // "Run this on house, then agree again: ALTER TABLE …;"
            $this->runStatements($e->getMessage(), (string) $e->remedy()->said);
            throw $e;
        }
    }

    private function mend(Feed $feed): void
    {
        $this->runStatements((string) $feed->trouble?->message, (string) $feed->trouble?->remedy);
        FeedBook::resume([$feed]);
    }

    /** Has an administrator run what a remedy says, on the system that the message names; a landed table is at the target. */
    private function runStatements(string $message, string $remedy): void
    {
        if (preg_match_all('/\b((?:ALTER (?:TABLE|ROLE)|GRANT) [^;]*;)/', $remedy, $found) > 0) {
            str_starts_with($message, 'gate:') ? $this->atGate(implode(' ', $found[1])) : $this->atHouse(implode(' ', $found[1]));
        }
    }

    public function states(): string
    {
        return Feed::with('route.source', 'route.target', 'route.logs', 'definition')->orderBy('id')->get()->map(static fn (Feed $f): string => "{$f->name} ({$f->capture}, {$f->definition->body['landing']}, {$f->route->target->name}) {$f->state()}".($f->trouble === null ? '' : ": {$f->trouble->message} {$f->trouble->remedy->said}").($f->log()?->trouble === null ? '' : " [log {$f->log()->standing}: {$f->log()->trouble->message}]").($f->reload === null ? '' : ' reload '.json_encode($f->reload)).($f->rereads === null ? '' : ' rereads').($f->waiting > 0 ? " waiting {$f->waiting}" : '')." complete to {$f->complete_up_to?->format('H:i:s')}".($f->due_at === null ? '' : " due {$f->due_at->format('H:i:s')}"))->implode('; ').' at '.now()->format('H:i:s');
    }

    public function end(): void
    {
        $pids = $this->processes();
        foreach ($pids as $pid) {
            posix_kill($pid, SIGCONT);
            posix_kill($pid, SIGKILL);
        }
        array_map(proc_close(...), $this->workers);
        // What they were writing must not come after what is cleared away below.
        for ($tries = 0; $tries < 100 && array_filter($pids, Workers::works(...)) !== []; $tries++) {
            usleep(20_000);
        }
        app(Systems::class)->forget();
        foreach ([$this->gate, $this->house] as $side) {
            try {
                $side->rollback();
                $side->run('SELECT pg_terminate_backend(active_pid, 5000) FROM pg_replication_slots WHERE database = current_database() AND active');
                $side->run('SELECT pg_drop_replication_slot(slot_name) FROM pg_replication_slots WHERE database = current_database() AND NOT active');
            } catch (SystemTrouble) {
                // The database goes anyway, if it can.
            }
            $database = $side->settings->database;
            $side->close();
            $admin = self::connect('postgres');
            $admin->run("DROP DATABASE IF EXISTS {$database} WITH (FORCE)");
            $admin->close();
        }
        $admin = self::connect('postgres');
        $admin->run("DROP ROLE IF EXISTS {$this->role}");
        $admin->close();
        $this->store = null;
        $this->mariadb->exec('DROP DATABASE '.$this->mariadb->query('SELECT DATABASE()')?->fetchColumn());
        exec('rm -rf '.escapeshellarg($this->lake).' '.escapeshellarg($this->drop).' '.escapeshellarg($this->file).'*');
    }
}
