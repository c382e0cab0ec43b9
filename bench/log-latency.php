<?php

declare(strict_types=1);

use Lighterman\Core\Latency\Histogram;

/*
 * A thousand changes a second for a minute, in transactions of ten. Every change is timed from the moment its commit
 * returned at the source to the moment a reader of the target first saw it; the reader looks every 5 ms.
 */

require __DIR__.'/../vendor/autoload.php';
require __DIR__.'/Bench.php';

const SECONDS = 60;
const RATE = 1000;
const TOGETHER = 10;

$bench = new Bench;
$bench->admin->exec('SELECT pg_drop_replication_slot(slot_name) FROM pg_replication_slots WHERE NOT active');
$source = $bench->connect('source');
$source->exec('CREATE TABLE ticks (id bigint PRIMARY KEY, device integer NOT NULL, level numeric(9,2) NOT NULL, note text, seen_at timestamptz NOT NULL)');
$file = tempnam(sys_get_temp_dir(), 'bench').'.yaml';
file_put_contents($file, "source: source\ntarget: target\nfeeds:\n  - { table: public.ticks, capture: log, landed: bench.ticks }\n");
$bench->lighterman(['route:load', $file]);
unlink($file);
$bench->lighterman(['log:read', 'source → target', '--drain']);
$reader = proc_open([PHP_BINARY, 'bin/lighterman', 'log:read', 'source → target'], [['file', '/dev/null', 'r'], STDERR, STDERR], $pipes);
sleep(3);

$committed = tempnam(sys_get_temp_dir(), 'bench');
$writer = pcntl_fork();
if ($writer === 0) {
    $desk = $bench->connect('source');
    $insert = $desk->prepare('INSERT INTO ticks SELECT ? + g, g, g * 1.25, NULL, clock_timestamp() FROM generate_series(1, '.TOGETHER.') g');
    $out = fopen($committed, 'w');
    $started = microtime(true);
    for ($n = 0; $n < SECONDS * RATE; $n += TOGETHER) {
        $insert->execute([$n]);
        fwrite($out, ($n + TOGETHER).' '.sprintf('%.6f', microtime(true))."\n");
        $ahead = $started + ($n + TOGETHER) / RATE - microtime(true);
        $ahead > 0 && usleep((int) ($ahead * 1e6));
    }
    fclose($out);
    posix_kill(posix_getpid(), SIGKILL);
}
$target = $bench->connect('target');
$new = $target->prepare('SELECT max(id) FROM bench.ticks');
$seen = [];
$last = 0;
for ($end = microtime(true) + SECONDS * 2; $last < SECONDS * RATE && microtime(true) < $end; usleep(5000)) {
    $new->execute();
    $max = (int) $new->fetchColumn();
    if ($max > $last) {
        $seen[] = [$max, microtime(true)];
        $last = $max;
    }
}
pcntl_waitpid($writer, $status);
preg_match('/VmHWM:\s+(\d+) kB/', (string) file_get_contents('/proc/'.proc_get_status($reader)['pid'].'/status'), $peak);
proc_terminate($reader);
proc_close($reader);

$delays = [];
$at = 0;
$lines = file($committed);
unlink($committed);
foreach ($lines as $line) {
    [$id, $time] = explode(' ', trim($line));
    while ($at < count($seen) && $seen[$at][0] < (int) $id) {
        $at++;
    }
    if (! isset($seen[$at])) {
        fwrite(STDERR, "change {$id} was never seen in the target\n");
        exit(1);
    }
    $delays[] = ($seen[$at][1] - (float) $time) * 1000;
}
$span = (float) explode(' ', trim($lines[count($lines) - 1]))[1] - (float) explode(' ', trim($lines[0]))[1];
sort($delays);
$percentile = static fn (float $share): string => round($delays[(int) ceil($share * count($delays)) - 1]).'ms';
$told = json_decode((string) $bench->connect('lighterman')->query('SELECT json_agg(histogram) FROM latency_minutes WHERE changes > 0')->fetchColumn(), true);
$own = new Histogram;
foreach ($told ?? [] as $histogram) {
    $own->merge(Histogram::fromJson(json_encode($histogram)));
}
$bench->tell('log-latency', [
    'p50' => $percentile(0.5), 'p95' => $percentile(0.95), 'p99' => $percentile(0.99), 'worst' => round(end($delays)).'ms',
    'rate' => round(count($lines) * TOGETHER / $span).'/s', 'changes' => count($lines) * TOGETHER,
    'own_p50' => round($own->percentile(0.5)).'ms', 'own_p95' => round($own->percentile(0.95)).'ms', 'peak' => round((int) $peak[1] / 1000).'MB',
]);
