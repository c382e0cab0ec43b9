<?php

declare(strict_types=1);

/*
 * A delimited file of one gigabyte into PostgreSQL, by a worker process of its own and with its start included; against psql
 * taking the same file in by \copy. Every value is looked at on the way, and lands with its file and line. Both are run three
 * times, in turn, and the medians compared.
 */

require __DIR__.'/../vendor/autoload.php';
require __DIR__.'/Bench.php';
require __DIR__.'/Loads.php';

const SIZE = 1_000_000_000;

$bench = new Bench;
$folder = (getenv('LIGHTERMAN_VAR') ?: dirname(__DIR__).'/var').'/bench/files';
exec('rm -rf '.escapeshellarg($folder).'; mkdir -p '.escapeshellarg($folder));
$columns = 'id;ticket;grower;variety;gross;tare;status;note;arrived_at;updated_at';
// A row is some 107 bytes long.
$bench->shell($bench->psql('source')." -c \"SET TimeZone = 'UTC'\" -c \"COPY (SELECT g AS id, 'T' || lpad(g::text, 8, '0') AS ticket, g % 5000 AS grower, 'V' || lpad((g % 60)::text, 2, '0') AS variety, round((random() * 30000)::numeric, 1) AS gross, round((random() * 9000)::numeric, 1) AS tare, 'settled' AS status, CASE WHEN g % 7 = 0 THEN 'second weighing after rain' END AS note, now() - g * interval '1 second' AS arrived_at, now() - g * interval '1 second' AS updated_at FROM generate_series(1, 12000000) g) TO STDOUT WITH (FORMAT csv, DELIMITER ';', HEADER)\" | head -c ".SIZE." > {$folder}/all.part");
// The last line is cut short.
exec('sed \'$d\' '.escapeshellarg("{$folder}/all.part").' > '.escapeshellarg("{$folder}/loads.csv").'; rm '.escapeshellarg("{$folder}/all.part"));
touch("{$folder}/loads.csv", time() - 60);
$rows = (int) exec('wc -l < '.escapeshellarg("{$folder}/loads.csv")) - 1;
$bench->lighterman(['system:add', 'files', '--kind=files', "--path={$folder}"]);
$own = $bench->connect('lighterman');
$target = $bench->connect('target');
$file = tempnam(sys_get_temp_dir(), 'bench').'.json';
file_put_contents($file, json_encode(['source' => 'files', 'target' => 'target', 'feeds' => [['table' => '*.csv', 'name' => 'loads', 'landed' => 'bench.loads', 'schedule' => ['manual' => true]]]], JSON_THROW_ON_ERROR));
$ours = $floor = $peaks = [];
for ($round = 0; $round < 3; $round++) {
    $target->exec('DROP TABLE IF EXISTS plain; CREATE TABLE plain (id bigint, ticket text, grower bigint, variety text, gross numeric(10,1), tare numeric(9,1), status text, note text, arrived_at timestamptz, updated_at timestamptz)');
    $target->exec('CHECKPOINT');
    $floor[] = $bench->shell($bench->psql('target')." -c \"\\copy plain from '{$folder}/loads.csv' with (format csv, delimiter ';', header)\"");
    $target->exec('DROP TABLE plain; CHECKPOINT');
    $bench->lighterman(['route:load', $file]);
    $run = $bench->lighterman(['feed:run', 'loads', '--json']);
    $ours[] = $run['seconds'];
    $peaks[] = $run['peak'];
    $landed = (int) $target->query('SELECT count(*) FROM bench.loads')->fetchColumn();
    if ($landed !== $rows) {
        fwrite(STDERR, "landed {$landed} rows instead of {$rows}\n");
        exit(1);
    }
    $target->exec('DROP SCHEMA bench CASCADE; DROP SCHEMA lighterman CASCADE');
    $own->exec("DELETE FROM feeds WHERE name = 'loads'");
}
unlink($file);
exec('rm -rf '.escapeshellarg($folder));
$bench->tell('file-in', ['ratio' => Loads::median($ours) / Loads::median($floor), 'ours' => number_format(Loads::median($ours), 1).'s', 'floor' => number_format(Loads::median($floor), 1).'s', 'rows' => $rows, 'bytes' => SIZE, 'peak' => round(max($peaks) / 1e6).'MB']);
