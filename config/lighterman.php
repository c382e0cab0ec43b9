<?php

declare(strict_types=1);

return [
    // Names that this installation answers under, and addresses of proxies whose word counts, parted by commas.
    'hosts' => array_values(array_filter(array_map(static fn (string $h): string => strtolower(trim($h)), explode(',', (string) env('LIGHTERMAN_HOSTS', 'localhost,127.0.0.1,[::1]'))))),
    'proxies' => array_values(array_filter(array_map(trim(...), explode(',', (string) env('LIGHTERMAN_PROXIES', ''))))),
    // When somebody has to sign in again: after so long without doing anything, and after so long in any case.
    'session' => ['idle_minutes' => (int) env('LIGHTERMAN_IDLE_MINUTES', 120), 'longest_minutes' => (int) env('LIGHTERMAN_SESSION_MINUTES', 720)],
    // Folders of this machine that lakes, files and databases may lie in, parted by colons; those that bin/up makes, where nothing is said.
    'folders' => array_values(array_filter(explode(':', (string) env('LIGHTERMAN_FOLDERS', implode(':', array_map(static fn (string $f): string => dirname(storage_path())."/{$f}", ['lake', 'lab-drop', 'shared'])))))),
    // How long a worker may stay silent before another takes its feed over.
    'lease_seconds' => (int) env('LIGHTERMAN_LEASE_SECONDS', 30),
    // How often it is looked whether anybody has meddled with what records changes, or with the tables themselves.
    'gap_seconds' => (int) env('LIGHTERMAN_GAP_SECONDS', 15),
    // Longest value that is carried; a record with a longer one is set aside.
    'value_bytes' => (int) env('LIGHTERMAN_VALUE_MB', 64) << 20,
    // What share of the workers may carry feeds that take long, such as first loads; at least one always may.
    'long_share' => (float) env('LIGHTERMAN_LONG_SHARE', 0.5),
    // Logs of routes that one worker's children read; each is a process of its own.
    'logs_per_worker' => 8,
    // Longest wait between two tries of a feed that failed for a reason that may pass.
    'longest_backoff_seconds' => (int) env('LIGHTERMAN_LONGEST_BACKOFF_SECONDS', 900),
    'keep' => ['behind_minutes_days' => 35, 'runs_days' => 90, 'receipts_days' => 90, 'single_receipts_hours' => 2, 'set_aside_days' => 90],
    // What the engine that reads and writes Parquet may use, in each worker and for each query.
    'lake' => ['memory_mb' => (int) env('LIGHTERMAN_LAKE_MEMORY_MB', 160), 'threads' => 2, 'fetched_mb' => 10_000],
    'query' => ['row_limit' => 500, 'seconds' => 15, 'most_rows' => 5000, 'most_seconds' => 300, 'download_rows' => 100_000, 'at_once' => 2, 'at_once_of_all' => (int) env('LIGHTERMAN_QUERIES_AT_ONCE', 4)],
];
