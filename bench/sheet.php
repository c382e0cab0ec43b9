<?php

declare(strict_types=1);

/*
 * An edit of the column sheet of a table of 200 columns, half of them treated, over HTTP from a server with one worker: the edit is
 * kept, fifty sampled rows are computed and the sheet comes back. The floor is the sign-in page's time, which is what the framework
 * itself costs.
 */

require __DIR__.'/Bench.php';
require __DIR__.'/Web.php';

const COLUMNS = 200;

$bench = new Bench;
$source = $bench->connect('source');
$names = array_map(static fn (int $n): string => sprintf('c%03d', $n), range(1, COLUMNS));
$source->exec('CREATE TABLE wide (id integer PRIMARY KEY, '.implode(', ', array_map(static fn (string $c): string => "{$c} text", $names)).', updated_at timestamptz NOT NULL DEFAULT now())');
$source->exec('INSERT INTO wide (id, '.implode(', ', $names).') SELECT g, '.implode(', ', array_map(static fn (string $c): string => "'{$c} value ' || g", $names)).' FROM generate_series(1, 1000) g');
$lines = [];
foreach ($names as $n => $name) {
    if ($n % 2 === 0) {
        $lines[] = ['from' => $name, 'steps' => [match ($n % 3) {
            0 => ['mask' => 'keyed_hash'], 1 => ['derive' => "upper(value) ~ '/' ~ length(value)"], default => ['convert' => 'varchar(200)'],
        }]];
    }
}
$file = tempnam(sys_get_temp_dir(), 'bench').'.json';
file_put_contents($file, json_encode(['source' => 'source', 'target' => 'target', 'feeds' => [['table' => 'public.wide', 'watermark' => 'updated_at', 'landing' => 'upsert', 'landed' => 'bench.wide', 'schedule' => ['manual' => true], 'treatment' => ['columns' => $lines, 'failing' => 'set_aside']]]], JSON_THROW_ON_ERROR));
$bench->lighterman(['route:load', $file]);
unlink($file);

$web = new Web($bench);
$floor = $web->p95(static fn (): string => $web->get('/sign-in'), 'Sign in');
$web->signIn();
$token = $web->token('/feeds/wide/columns?line=2');
$edit = $web->p95(static fn (int $i): string => $web->get('/feeds/wide/columns/line', ['_token' => $token, 'line' => 2, 'sample' => 'last', 'row' => 0, 'as' => 'c002', 'steps' => [['do' => 'derive', 'derive' => "value ~ ' edit {$i}'"]]], ['Accept: application/json']), 'edit');
$bench->tell('sheet', ['ratio' => $edit / $floor, 'ours' => number_format($edit, 0).'ms', 'floor' => number_format($floor, 0).'ms', 'columns' => COLUMNS, 'rows' => 50]);
