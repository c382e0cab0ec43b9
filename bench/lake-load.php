<?php

declare(strict_types=1);

/*
 * The first load of a table of ten columns from PostgreSQL to Parquet with zstd, by a worker process of its own and with its start
 * included; against psql copying the rows to a CSV file and the embedded engine making Parquet of it. Both are run three times, in
 * turn, and the medians compared. Memory is then looked at for four times as many rows.
 */

use Lighterman\Connectors\Engine\Engine;

require __DIR__.'/../vendor/autoload.php';
require __DIR__.'/Bench.php';
require __DIR__.'/Loads.php';
require __DIR__.'/Lakes.php';

$bench = new Bench;
$loads = new Loads($bench);
$lake = new Lakes($bench);
$loads->fill(1_000_000);
$plain = dirname($lake->path).'/plain';
exec('rm -rf '.escapeshellarg($plain).'; mkdir -p '.escapeshellarg($plain));
$ours = $floor = $peaks = [];
for ($round = 0; $round < 3; $round++) {
    $seconds = $bench->shell($bench->psql('source')." -c \"COPY loads TO STDOUT WITH (FORMAT csv)\" > {$plain}/loads.csv");
    $started = microtime(true);
    $engine = new Engine([$plain], 2000, 2, "{$plain}/spill");
    $engine->run("COPY (SELECT * FROM read_csv('{$plain}/loads.csv')) TO '{$plain}/loads.parquet' (FORMAT parquet, COMPRESSION zstd)");
    $engine->close();
    $floor[] = $seconds + microtime(true) - $started;
    $lake->begin();
    $run = $lake->run(1_000_000);
    $ours[] = $run['seconds'];
    $peaks[] = $run['peak'];
    $lake->clear();
}
exec('rm -rf '.escapeshellarg($plain));
$loads->fill(4_000_000);
$lake->begin();
$large = $lake->run(4_000_000);
$lake->clear();
$bench->tell('lake-load', [
    'ratio' => Loads::median($ours) / Loads::median($floor), 'ours' => number_format(Loads::median($ours), 1).'s', 'floor' => number_format(Loads::median($floor), 1).'s', 'rows' => 1_000_000,
    'peak' => round(max($peaks) / 1e6).'MB', 'peak_4m' => round($large['peak'] / 1e6).'MB', 'rows_4m' => 4_000_000,
]);
