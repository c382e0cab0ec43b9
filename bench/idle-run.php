<?php

declare(strict_types=1);

use App\Models\Feed;
use App\Runtime\Common\Systems;
use App\Runtime\Worker;
use Illuminate\Contracts\Console\Kernel;

/*
 * A run that finds nothing, on a table of 200,000 rows, in a worker that is already running: the whole of it, from taking the lease to
 * giving it back. The floor is the one question that cannot be left out, asked over an open connection.
 */

require __DIR__.'/../vendor/autoload.php';
require __DIR__.'/Bench.php';

$bench = new Bench;
$source = $bench->connect('source');
$source->exec("CREATE TABLE loads (id bigint PRIMARY KEY, kg integer, updated_at timestamptz NOT NULL); INSERT INTO loads SELECT g, g, now() - g * interval '1 second' FROM generate_series(1, 200000) g; CREATE INDEX ON loads (updated_at); ANALYZE loads");
$file = tempnam(sys_get_temp_dir(), 'bench').'.yaml';
file_put_contents($file, "source: source\ntarget: target\nfeeds:\n  - { table: public.loads, watermark: updated_at, landed: bench.loads, schedule: { manual: true } }\n");
$bench->lighterman(['route:load', $file]);
unlink($file);
$bench->lighterman(['feed:run', 'loads']);

$app = require __DIR__.'/../bootstrap/app.php';
$app->make(Kernel::class)->bootstrap();
$worker = new Worker(new Systems);
$feed = Feed::where('name', 'loads')->firstOrFail();
$times = [];
for ($i = 0; $i < 60; $i++) {
    $started = hrtime(true);
    $worker->once($feed->id);
    $times[] = (hrtime(true) - $started) / 1e6;
}
$empty = $feed->runs()->latest('id')->firstOrFail();
if ($empty->empty_runs < 50) {
    fwrite(STDERR, "the runs were not empty\n");
    exit(1);
}
$question = $source->prepare("SELECT EXISTS (SELECT 1 FROM loads WHERE updated_at >= now() - interval '1 second')");
$floor = [];
for ($i = 0; $i < 60; $i++) {
    $started = hrtime(true);
    $question->execute();
    $question->fetchAll();
    $floor[] = (hrtime(true) - $started) / 1e6;
}
// The first few make connections and fill caches, which a worker does once.
[$times, $floor] = [array_slice($times, 5), array_slice($floor, 5)];
sort($times);
sort($floor);
$bench->tell('idle-run', ['ratio' => $times[27] / $floor[27], 'ours' => number_format($times[27], 1).'ms', 'p95' => number_format($times[51], 1).'ms', 'floor' => number_format($floor[27], 2).'ms', 'runs' => count($times), 'peak' => round(memory_get_peak_usage(true) / 1e6).'MB']);
