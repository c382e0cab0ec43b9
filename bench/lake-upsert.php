<?php

declare(strict_types=1);

/*
 * 10,000 changed rows into a table of a million rows in 30 partitions, of which they touch 3, against landing the whole table anew.
 * What matters is which files are written again.
 */

require __DIR__.'/Bench.php';
require __DIR__.'/Loads.php';
require __DIR__.'/Lakes.php';

$bench = new Bench;
$loads = new Loads($bench);
$lake = new Lakes($bench);
$loads->fill(1_000_000);
$source = $bench->connect('source');
$source->exec("UPDATE loads SET arrived_at = TIMESTAMPTZ '2026-09-01 12:00+00' + (id % 30) * interval '1 day', updated_at = now() - interval '1 day'");
$source->exec('VACUUM ANALYZE loads');
$lake->begin(['day(arrived_at)']);
$floor = $lake->run(1_000_000);
$before = array_column($lake->files(), 'name');
$source->exec('UPDATE loads SET gross = gross + 1, updated_at = clock_timestamp() WHERE id % 30 IN (3, 4, 5) AND id <= 100000');
sleep(2);
$ours = $lake->run(1_000_000);
$after = $lake->files();
$rewritten = array_unique(array_map(dirname(...), array_diff($before, array_column($after, 'name'))));
$changed = count(array_filter($after, static fn (array $f): bool => $f['sequence'] > 1));
$bench->tell('lake-upsert', [
    'ratio' => $ours['seconds'] / $floor['seconds'], 'ours' => number_format($ours['seconds'], 1).'s', 'floor' => number_format($floor['seconds'], 1).'s', 'changed' => 10_000, 'rows' => 1_000_000,
    'partitions' => 30, 'rewritten' => count($rewritten), 'files_written' => $changed, 'peak' => round($ours['peak'] / 1e6).'MB',
]);
$lake->clear();
