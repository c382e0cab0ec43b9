<?php

declare(strict_types=1);

return [
    'default' => 'single',
    'channels' => [
        'single' => ['driver' => 'single', 'path' => storage_path('logs/lighterman.log'), 'level' => env('LOG_LEVEL', 'info'), 'replace_placeholders' => true],
        'null' => ['driver' => 'monolog', 'handler' => Monolog\Handler\NullHandler::class],
    ],
    'deprecations' => ['channel' => 'null', 'trace' => false],
];
