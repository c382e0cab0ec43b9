<?php

declare(strict_types=1);

return [
    'driver' => env('SESSION_DRIVER', 'database'),
    'lifetime' => 720,
    'expire_on_close' => false,
    'encrypt' => true,
    'connection' => null,
    'table' => 'sessions',
    'store' => null,
    'lottery' => [2, 100],
    'cookie' => 'lighterman_session',
    'path' => '/',
    'domain' => null,
    // Set LIGHTERMAN_HTTPS=true behind TLS; on plain loopback a secure cookie would never come back.
    'secure' => (bool) env('LIGHTERMAN_HTTPS', false),
    'http_only' => true,
    'same_site' => 'lax',
    'partitioned' => false,
];
