<?php

declare(strict_types=1);

return [
    'default' => 'pgsql',
    'connections' => [
        'pgsql' => [
            'driver' => 'pgsql',
            'host' => env('LIGHTERMAN_DB_HOST', '127.0.0.1'),
            'port' => env('LIGHTERMAN_DB_PORT', '5432'),
            'database' => env('LIGHTERMAN_DB_NAME', 'lighterman'),
            'username' => env('LIGHTERMAN_DB_USER', 'lighterman'),
            'password' => env('LIGHTERMAN_DB_PASSWORD', ''),
            'charset' => 'utf8',
            'search_path' => 'public',
            'sslmode' => 'prefer',
            'timezone' => 'UTC',
            // Statements go with their parameters in one message each, not prepared, run and dropped in three. A web process keeps
            // its connection: proving the password anew costs more than most pages.
            'options' => [PDO::PGSQL_ATTR_DISABLE_PREPARES => true] + (PHP_SAPI === 'cli' ? [] : [PDO::ATTR_PERSISTENT => true]),
        ],
    ],
    'migrations' => ['table' => 'migrations', 'update_date_on_publish' => false],
];
