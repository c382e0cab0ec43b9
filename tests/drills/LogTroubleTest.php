<?php

declare(strict_types=1);

namespace Tests\Drills;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;

/** Source and target are servers of their own here, that can be stopped; a proxy stands before each, that can be cut. */
final class LogTroubleTest extends LogCase
{
    /** @var array<string, array{int, string}> port and password by role */
    private static array $servers = [];

    /** @var array<string, int> */
    private array $proxyPorts = [];

    /** @var array<string, resource> */
    private array $proxies = [];

    public static function setUpBeforeClass(): void
    {
        foreach (['gate', 'house'] as $role) {
            self::shell("pg_start \"\$var/test/{$role}\" fsync=off wal_sender_timeout=10s");
            self::$servers[$role] = [(int) file_get_contents("var/test/{$role}/port"), trim((string) file_get_contents("var/test/{$role}/password"))];
        }
    }

    public static function tearDownAfterClass(): void
    {
        foreach (['gate', 'house'] as $role) {
            self::shell("pg_stop \"\$var/test/{$role}\"");
        }
    }

    protected function setUp(): void
    {
        foreach (['gate', 'house'] as $role) {
            $socket = stream_socket_server('tcp://127.0.0.1:0');
            self::assertIsResource($socket);
            $this->proxyPorts[$role] = (int) substr((string) strrchr((string) stream_socket_get_name($socket, false), ':'), 1);
            fclose($socket);
            $proxy = proc_open([PHP_BINARY, __DIR__.'/proxy.php', (string) $this->proxyPorts[$role], (string) self::$servers[$role][0]], [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], ['file', '/dev/null', 'w']], $pipes);
            self::assertIsResource($proxy);
            $this->proxies[$role] = $proxy;
        }
        usleep(300_000);
        parent::setUp();
    }

    protected function tearDown(): void
    {
        parent::tearDown();
        foreach ($this->proxies as $proxy) {
            proc_terminate($proxy, SIGTERM);
            proc_close($proxy);
        }
    }

    protected function server(string $role): array
    {
        return self::$servers[$role] ?? parent::server($role);
    }

    protected function portFor(string $role): int
    {
        return $this->proxyPorts[$role] ?? parent::portFor($role);
    }

    #[Test]
    public function connections_cut_in_mid_transaction_lose_and_double_nothing(): void
    {
        $this->setUpRoute();
        $this->startTraffic(6000, 7);
        $this->startReader();
        for ($cut = 0; $cut < (int) (getenv('LIGHTERMAN_DRILL_ROUNDS') ?: 6); $cut++) {
            usleep(random_int(300, 1800) * 1000);
            posix_kill(proc_get_status($this->proxies[['gate', 'house'][$cut % 2]])['pid'], SIGUSR1);
            $this->assertWholeTransactions('');
        }
        $this->endTraffic();
        $this->settle();
    }

    #[Test]
    public function both_servers_may_be_restarted_at_any_time(): void
    {
        $this->setUpRoute();
        $this->startReader();
        foreach (['house', 'gate', 'house', 'gate'] as $role) {
            $this->startTraffic(1500, random_int(1, 900));
            usleep(random_int(500, 2000) * 1000);
            self::shell("as_pg \"\$(pg_bin)/pg_ctl\" -D \"\$(readlink -m \"\$var/test/{$role}/data\")\" -m immediate -w stop >/dev/null; pg_start \"\$var/test/{$role}\" fsync=off wal_sender_timeout=10s");
            $this->endTraffic();
        }
        $this->settle();
    }

    #[Test]
    public function while_the_target_is_down_the_source_keeps_no_more_log_than_allowed(): void
    {
        $seconds = getenv('LIGHTERMAN_DRILL_ROUNDS') ? 120 : 12;
        $this->setUpRoute();
        $this->startReader();
        $this->waitUntil('the first loads are done', fn (): bool => $this->own->value("SELECT count(*) FROM feeds WHERE standing <> 'carried'") === '0');
        $this->own->run('UPDATE route_logs SET warn_bytes = 500000, spool_bytes = 1000000');
        self::shell('pg_stop "$var/test/house"');
        $most = 0;
        for ($until = microtime(true) + $seconds; microtime(true) < $until; sleep(1)) {
            if (! $this->trafficRuns()) {
                $this->startTraffic(3000, random_int(1, 900));
            }
            $most = max($most, (int) $this->gate->value('SELECT max(pg_current_wal_lsn() - confirmed_flush_lsn) FROM pg_replication_slots WHERE database = current_database()'));
        }
        self::assertSame('spooling', $this->own->value('SELECT standing FROM route_logs'), (string) $this->own->value('SELECT trouble FROM route_logs'));
        self::assertGreaterThan(0, (int) $this->own->value('SELECT count(*) FROM spool'));
        $this->endTraffic();
        $this->waitUntil('the source may forget its log', fn (): bool => (int) $this->gate->value('SELECT max(pg_current_wal_lsn() - confirmed_flush_lsn) FROM pg_replication_slots WHERE database = current_database()') < 1_000_000, 30);
        self::assertLessThan(60_000_000, $most, 'log kept while the target was down');
        self::shell('pg_start "$var/test/house" fsync=off wal_sender_timeout=10s');
        // The longer it was away, the more has to land.
        $this->settle(90 + 3 * $seconds);
        self::assertSame('0', $this->own->value('SELECT count(*) FROM spool'), 'what was spooled has landed and is forgotten');
    }

    /** Lets everything that was committed land, by the reader that runs, and compares. */
    private function settle(int $seconds = 90): void
    {
        $sum = static fn (Connection $at, string $from): ?string => $at->value('SELECT count(*) || \' \' || coalesce(sum(hashtextextended(ROW('.self::COLUMNS.")::text, 0)), 0) FROM {$from}");
        $this->waitUntil('the copy equals the source: '.$this->own->value('SELECT standing || coalesce(trouble::text, \'\') FROM route_logs'), function () use ($sum): bool {
            try {
                return $sum($this->gate, 'loads') === $sum($this->house, 'l.kept') && $this->own->value("SELECT count(*) FROM feeds WHERE standing <> 'carried' OR waiting > 0") === '0';
            } catch (SystemTrouble) {
                return false;
            }
        }, $seconds);
        self::assertNotNull($this->reader);
        proc_terminate($this->reader, SIGTERM);
        proc_close($this->reader);
        $this->reader = null;
        $this->drain();
        $this->assertEveryLandingEqual('');
    }

    private static function shell(string $command): void
    {
        exec('unset LIGHTERMAN_VAR; bash -c '.escapeshellarg("source bin/support/common.sh; set +e; {$command}").' 2>&1', $out, $code);
        self::assertSame(0, $code, implode("\n", $out));
    }
}
