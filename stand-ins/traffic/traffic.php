<?php

declare(strict_types=1);

/*
 * Plays the people and machines at the gate of Aldermoor Cider Growers: lorries arrive, are weighed again, change status, are
 * voided; prices are edited. Stands apart from Lighterman on purpose and shares no code with it.
 */

require __DIR__.'/Gate.php';

$gate = new Gate((int) getenv('TRAFFIC_PORT'), (string) getenv('TRAFFIC_PASSWORD'), (string) getenv('TRAFFIC_ADMIN_PASSWORD'), getenv('TRAFFIC_DATABASE') ?: 'weighbridge');
$what = $argv[1] ?? 'run';
$incidents = ['late-commit' => 'lateCommit', 'equal-stamps' => 'equalStamps', 'voids' => 'voids', 'price-edits' => 'priceEdits', 'column-added' => 'addColumn', 'column-removed' => 'removeColumn', 'outage' => 'outage'];

if (isset($incidents[$what])) {
    echo $gate->{$incidents[$what]}(...array_map(intval(...), array_slice($argv, 2))), "\n";
    exit(0);
}
if ($what !== 'run') {
    fwrite(STDERR, "Unknown incident \"{$what}\". Known: run, ".implode(', ', array_keys($incidents)).".\n");
    exit(1);
}

$rate = max(0.1, (float) ($argv[2] ?? 5));
$stop = false;
pcntl_async_signals(true);
foreach ([SIGTERM, SIGINT] as $signal) {
    pcntl_signal($signal, static function () use (&$stop): void {
        $stop = true;
    });
}
while (! $stop) {
    $next = microtime(true) + 1 / $rate;
    try {
        $gate->something();
    } catch (PDOException $e) {
        fwrite(STDERR, date('c').' '.$e->getCode()."\n");
        sleep(1);
        $gate->reconnect();
    }
    $pause = $next - microtime(true);
    if ($pause > 0 && ! $stop) {
        usleep((int) ($pause * 1e6));
    }
}
