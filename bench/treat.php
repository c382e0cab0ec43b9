<?php

declare(strict_types=1);

/*
 * The first load of a table of ten columns, PostgreSQL to PostgreSQL, with a mask, a conversion, a derivation, a rename and
 * two checks, against the same load without any of it. Both are run three times, in turn, and the medians compared.
 */

require __DIR__.'/Bench.php';
require __DIR__.'/Loads.php';

$loads = new Loads(new Bench);
$loads->fill(1_000_000);
$loads->compare('treat', [
    'columns' => [
        ['from' => 'ticket', 'steps' => [['mask' => 'keyed_hash']]],
        ['from' => 'tare', 'as' => 'tare_kg', 'steps' => [['convert' => 'decimal(12,2)']]],
        ['from' => 'status', 'as' => 'state'],
        ['as' => 'net', 'steps' => [['derive' => 'gross - tare', 'type' => 'decimal(9,1)']]],
    ],
    'checks' => [['check' => 'required', 'columns' => ['ticket'], 'else' => 'set_aside'], ['check' => 'range', 'columns' => ['gross'], 'from' => '0', 'to' => '60000', 'else' => 'set_aside']],
    'failing' => 'set_aside',
]);
