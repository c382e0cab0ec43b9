<?php

declare(strict_types=1);

/*
 * The first load of a table of ten columns, PostgreSQL to PostgreSQL, with a lookup on 5,000 distinct keys in a table of the
 * target, against the same load without it. Both are run three times, in turn, and the medians compared.
 */

require __DIR__.'/Bench.php';
require __DIR__.'/Loads.php';

$bench = new Bench;
$loads = new Loads($bench);
$loads->fill(1_000_000);
$bench->connect('target')->exec("CREATE TABLE growers (id integer PRIMARY KEY, name text NOT NULL); INSERT INTO growers SELECT g, 'grower ' || g FROM generate_series(0, 4999) g; ANALYZE growers");
$loads->compare('lookup', ['columns' => [['from' => 'grower', 'as' => 'grower_name', 'steps' => [['lookup' => 'public.growers', 'system' => 'target', 'match' => 'id', 'take' => 'name', 'match_type' => 'int32', 'type' => 'text']]]], 'failing' => 'set_aside'], ['keys' => 5000]);
