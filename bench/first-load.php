<?php

declare(strict_types=1);

/*
 * The first load of a table of ten columns, PostgreSQL to PostgreSQL, landing upsert, by a worker process of its own and with its
 * start included; against psql copying the same rows into a table with the same primary key. Both are run three times, one after
 * the other, and the medians compared. Memory is then looked at for four times as many rows.
 */

require __DIR__.'/Bench.php';
require __DIR__.'/Loads.php';

$bench = new Bench;
$loads = new Loads($bench);

$loads->fill(1_000_000);
$ours = $floor = $peaks = [];
for ($round = 0; $round < 3; $round++) {
    $bench->connect('target')->exec('DROP TABLE IF EXISTS plain; CREATE TABLE plain ('.Loads::COLUMNS.'); CHECKPOINT');
    $floor[] = $bench->shell($bench->psql('source').' -c "COPY loads TO STDOUT" | '.$bench->psql('target').' -c "COPY plain FROM STDIN"');
    $bench->connect('target')->exec('DROP TABLE plain; CHECKPOINT');
    $run = $loads->load(1_000_000);
    $ours[] = $run['seconds'];
    $peaks[] = $run['peak'];
}
$loads->fill(4_000_000);
$large = $loads->load(4_000_000);
$bench->tell('first-load', [
    'ratio' => Loads::median($ours) / Loads::median($floor), 'ours' => number_format(Loads::median($ours), 1).'s', 'floor' => number_format(Loads::median($floor), 1).'s', 'rows' => 1_000_000,
    'peak' => round(max($peaks) / 1e6).'MB', 'peak_4m' => round($large['peak'] / 1e6).'MB', 'rows_4m' => 4_000_000,
]);
