<?php

declare(strict_types=1);

/** What the benchmarks share: databases on the bench server, timing, and the line that is printed. */
final class Bench
{
    public readonly PDO $admin;

    public readonly string $port;

    private readonly string $password;

    public function __construct()
    {
        $this->port = (string) getenv('LIGHTERMAN_DB_PORT');
        $this->password = (string) getenv('LIGHTERMAN_DB_PASSWORD');
        $this->admin = $this->connect('postgres');
        foreach (['lighterman', 'source', 'target'] as $name) {
            $this->admin->exec("DROP DATABASE IF EXISTS {$name} WITH (FORCE)");
            $this->admin->exec("CREATE DATABASE {$name}");
        }
        $this->lighterman(['migrate', '--force', '--quiet']);
        foreach (['source', 'target'] as $name) {
            $this->lighterman(['system:add', $name, "--port={$this->port}", "--database={$name}", '--user=lighterman'], $this->password."\n");
        }
    }

    public function connect(string $database): PDO
    {
        return new PDO("pgsql:host=127.0.0.1;port={$this->port};dbname={$database}", 'lighterman', $this->password, [PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION]);
    }

    /**
     * Runs one of our commands as a process of its own.
     *
     * @param  list<string>  $arguments
     * @return array{seconds: float, peak: int, out: string} wall time, greatest resident memory of the process in bytes, and what it printed
     */
    public function lighterman(array $arguments, string $input = ''): array
    {
        $started = microtime(true);
        $process = proc_open(['/bin/sh', '-c', 'exec "$@"', 'sh', PHP_BINARY, 'bin/lighterman', ...$arguments], [['pipe', 'r'], ['pipe', 'w'], STDERR], $pipes);
        fwrite($pipes[0], $input);
        fclose($pipes[0]);
        stream_set_blocking($pipes[1], false);
        $pid = proc_get_status($process)['pid'];
        $peak = 0;
        $out = '';
        while (($status = proc_get_status($process))['running']) {
            if (preg_match('/VmHWM:\s+(\d+) kB/', (string) @file_get_contents("/proc/{$pid}/status"), $m)) {
                $peak = max($peak, (int) $m[1] * 1024);
            }
            $out .= stream_get_contents($pipes[1]);
            usleep(20_000);
        }
        $out .= stream_get_contents($pipes[1]);
        if ($status['exitcode'] !== 0) {
            fwrite(STDERR, $out);
            exit(1);
        }

        return ['seconds' => microtime(true) - $started, 'peak' => $peak, 'out' => $out];
    }

    /** Seconds a shell command takes, with credentials in its environment. */
    public function shell(string $command): float
    {
        putenv("PGPASSWORD={$this->password}");
        $started = microtime(true);
        passthru($command, $code);
        if ($code !== 0) {
            exit(1);
        }

        return microtime(true) - $started;
    }

    public function psql(string $database): string
    {
        return "psql -X -q -v ON_ERROR_STOP=1 -h 127.0.0.1 -p {$this->port} -U lighterman -d {$database}";
    }

    /** @param  array<string, string|int|float>  $figures */
    public function tell(string $name, array $figures): void
    {
        echo $name, ' ', implode(' ', array_map(static fn (string $k, string|int|float $v): string => "{$k}=".(is_float($v) ? number_format($v, 2, '.', '') : $v), array_keys($figures), $figures)), "\n";
    }
}
