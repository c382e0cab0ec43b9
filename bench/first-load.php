<?php

declare(strict_types=1);

/*
 * The first load of a table of ten columns, PostgreSQL to PostgreSQL, landing upsert, by a worker process of its own and with its
 * start included; against psql copying the same rows into a table with the same primary key. Both are run three times, one after
 * the other, and the medians compared. Memory is then looked at for four times as many rows.
 */

require __DIR__.'/Bench.php';

$bench = new Bench;
$columns = 'id bigint PRIMARY KEY, ticket text NOT NULL, grower integer NOT NULL, variety char(3) NOT NULL, gross numeric(9,1) NOT NULL, tare numeric(9,1), status text NOT NULL, note text, arrived_at timestamptz NOT NULL, updated_at timestamptz NOT NULL';
$fill = static function (int $rows) use ($bench, $columns): void {
    $source = $bench->connect('source');
    $source->exec("DROP TABLE IF EXISTS loads; CREATE TABLE loads ({$columns})");
    $source->exec("INSERT INTO loads SELECT g, 'T' || lpad(g::text, 8, '0'), g % 1200, 'V' || lpad((g % 60)::text, 2, '0'), round((random() * 30000)::numeric, 1), round((random() * 9000)::numeric, 1), 'settled', CASE WHEN g % 7 = 0 THEN 'second weighing after rain' END, now() - g * interval '1 second', now() - g * interval '1 second' FROM generate_series(1, {$rows}) g");
    $source->exec('CREATE INDEX ON loads (updated_at)');
    $source->exec('VACUUM ANALYZE loads');
};
$file = tempnam(sys_get_temp_dir(), 'bench').'.yaml';
file_put_contents($file, "source: source\ntarget: target\nfeeds:\n  - { table: public.loads, watermark: updated_at, landing: upsert, landed: bench.loads, schedule: { manual: true } }\n");
$load = static function () use ($bench, $file): array {
    $bench->lighterman(['route:load', $file]);
    $run = $bench->lighterman(['feed:run', 'loads', '--json']);
    $landed = (int) $bench->connect('target')->query('SELECT count(*) FROM bench.loads')->fetchColumn();
    $bench->connect('target')->exec('DROP SCHEMA bench CASCADE; DROP SCHEMA lighterman CASCADE');
    $bench->connect('lighterman')->exec("DELETE FROM feeds WHERE name = 'loads'");

    return $run + ['landed' => $landed];
};
$median = static function (array $values): float {
    sort($values);

    return $values[intdiv(count($values), 2)];
};

$fill(1_000_000);
$ours = $floor = $peaks = [];
for ($round = 0; $round < 3; $round++) {
    $bench->connect('target')->exec("DROP TABLE IF EXISTS plain; CREATE TABLE plain ({$columns}); CHECKPOINT");
    $floor[] = $bench->shell($bench->psql('source').' -c "COPY loads TO STDOUT" | '.$bench->psql('target').' -c "COPY plain FROM STDIN"');
    $bench->connect('target')->exec('DROP TABLE plain; CHECKPOINT');
    $run = $load();
    if ($run['landed'] !== 1_000_000) {
        fwrite(STDERR, "landed {$run['landed']} rows instead of 1000000\n");
        exit(1);
    }
    $ours[] = $run['seconds'];
    $peaks[] = $run['peak'];
}
$fill(4_000_000);
$large = $load();
$bench->tell('first-load', [
    'ratio' => $median($ours) / $median($floor), 'ours' => number_format($median($ours), 1).'s', 'floor' => number_format($median($floor), 1).'s', 'rows' => 1_000_000,
    'peak' => round(max($peaks) / 1e6).'MB', 'peak_4m' => round($large['peak'] / 1e6).'MB', 'rows_4m' => $large['landed'],
]);
unlink($file);
