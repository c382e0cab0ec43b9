<?php

declare(strict_types=1);

/*
 * Plays the people in a cellar whose database is not PostgreSQL: casks are filled, renumbered, scrapped and bought again, in
 * transactions of several changes, some of which are rolled back.
 */

mt_srand((int) $argv[1]);
$pdo = new PDO((string) getenv('CELLAR_DSN'), getenv('CELLAR_USER') ?: null, getenv('CELLAR_PASSWORD') ?: null, [PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION, PDO::ATTR_TIMEOUT => 20]);
$casks = (int) $pdo->query('SELECT count(*) FROM casks')->fetchColumn();
$begin = str_starts_with((string) getenv('CELLAR_DSN'), 'sqlite') ? 'BEGIN IMMEDIATE' : 'START TRANSACTION';
for ($round = 0; $round < (int) $argv[2]; $round++) {
    try {
        $pdo->exec($begin);
        for ($change = 0, $changes = mt_rand(1, 6); $change < $changes; $change++) {
            $id = mt_rand(1, $casks);
            match (mt_rand(0, 9)) {
                0, 1, 2, 3 => $pdo->exec("UPDATE casks SET litres = litres + 1 WHERE id = {$id}"),
                4 => $pdo->exec("UPDATE casks SET note = 'tab\there {$round}' WHERE id BETWEEN {$id} AND ".($id + 15)),
                5 => $pdo->exec("UPDATE casks SET id = {$id} + 1000000 + ".mt_rand(0, 1_000_000_000)." WHERE id = {$id}"),
                6 => $pdo->exec("DELETE FROM casks WHERE id = {$id}"),
                7, 8 => $pdo->exec('INSERT INTO casks (id, litres) VALUES ('.mt_rand(2_000_000_000, 2_100_000_000).', 1.5)'),
                9 => $pdo->exec("DELETE FROM casks WHERE id = {$id}") + $pdo->exec("INSERT INTO casks (id, litres, note) VALUES ({$id}, 2, NULL)"),
            };
        }
        usleep(mt_rand(0, 3000));
        $pdo->exec(mt_rand(0, 9) === 0 ? 'ROLLBACK' : 'COMMIT');
    } catch (PDOException) {
        // A number that exists already, a deadlock or a lock that was waited for too long.
        try {
            $pdo->exec('ROLLBACK');
        } catch (PDOException) {
            // It is rolled back already.
        }
    }
}
