<?php

declare(strict_types=1);

/*
 * The first load of a table of ten columns, PostgreSQL to PostgreSQL, with a lookup on 5,000 distinct keys in a table of the
 * target, against the same load without it. Both are run three times, in turn, and the medians compared. How many queries
 * the lookups took is counted by the server.
 */

require __DIR__.'/Bench.php';

$bench = new Bench;
$columns = 'id bigint PRIMARY KEY, ticket text NOT NULL, grower integer NOT NULL, variety char(3) NOT NULL, gross numeric(9,1) NOT NULL, tare numeric(9,1), status text NOT NULL, note text, arrived_at timestamptz NOT NULL, updated_at timestamptz NOT NULL';
$fill = static function (int $rows) use ($bench, $columns): void {
    $source = $bench->connect('source');
    $source->exec("DROP TABLE IF EXISTS loads; CREATE TABLE loads ({$columns})");
    $source->exec("INSERT INTO loads SELECT g, 'T' || lpad(g::text, 8, '0'), g % 5000, 'V' || lpad((g % 60)::text, 2, '0'), round((random() * 30000)::numeric, 1), round((random() * 9000)::numeric, 1), 'settled', CASE WHEN g % 7 = 0 THEN 'second weighing after rain' END, now() - g * interval '1 second', now() - g * interval '1 second' FROM generate_series(1, {$rows}) g");
    $source->exec('CREATE INDEX ON loads (updated_at)');
    $source->exec('VACUUM ANALYZE loads');
};
$columns = [['from' => 'grower', 'as' => 'grower_name', 'steps' => [['lookup' => 'public.growers', 'system' => 'target', 'match' => 'id', 'take' => 'name', 'match_type' => 'int32', 'type' => 'text']]]];
$load = static function (?array $treatment) use ($bench): array {
    $file = tempnam(sys_get_temp_dir(), 'bench').'.json';
    $feed = ['table' => 'public.loads', 'watermark' => 'updated_at', 'landing' => 'upsert', 'landed' => 'bench.loads', 'schedule' => ['manual' => true]] + ($treatment === null ? [] : ['treatment' => $treatment]);
    file_put_contents($file, json_encode(['source' => 'source', 'target' => 'target', 'feeds' => [$feed]], JSON_THROW_ON_ERROR));
    $bench->lighterman(['route:load', $file]);
    unlink($file);
    $run = $bench->lighterman(['feed:run', 'loads', '--json']);
    $landed = (int) $bench->connect('target')->query('SELECT count(*) FROM bench.loads')->fetchColumn();
    if ($landed !== 1_000_000) {
        fwrite(STDERR, "landed {$landed} rows instead of 1000000\n");
        exit(1);
    }
    $said = $bench->connect('lighterman')->query("SELECT said FROM run_lines WHERE said LIKE 'Lookups took%' ORDER BY id DESC LIMIT 1")->fetchColumn();
    $run['queries'] = (int) preg_replace('/\D+/', '', (string) $said);
    $bench->connect('target')->exec('DROP SCHEMA bench CASCADE; DROP SCHEMA lighterman CASCADE; CHECKPOINT');
    $bench->connect('lighterman')->exec("DELETE FROM feeds WHERE name = 'loads'");

    return $run;
};
$median = static function (array $values): float {
    sort($values);

    return $values[intdiv(count($values), 2)];
};

$fill(1_000_000);
$bench->connect('target')->exec("CREATE TABLE growers (id integer PRIMARY KEY, name text NOT NULL); INSERT INTO growers SELECT g, 'grower ' || g FROM generate_series(0, 4999) g; ANALYZE growers");
$ours = $floor = $peaks = [];
for ($round = 0; $round < 3; $round++) {
    $floor[] = $load(null)['seconds'];
    $run = $load(['columns' => $columns, 'failing' => 'set_aside']);
    $ours[] = $run['seconds'];
    $peaks[] = $run['peak'];
    $queries = $run['queries'];
}
$bench->tell('lookup', ['ratio' => $median($ours) / $median($floor), 'ours' => number_format($median($ours), 1).'s', 'floor' => number_format($median($floor), 1).'s', 'rows' => 1_000_000, 'keys' => 5000, 'queries' => $queries, 'peak' => round(max($peaks) / 1e6).'MB']);
