<?php

declare(strict_types=1);

// Nobody has to know what this is written in.
header_remove('X-Powered-By');

use Illuminate\Http\Request;

// PHP's own server hands every request here; files below public/ go out as they are.
$file = __DIR__.parse_url($_SERVER['REQUEST_URI'] ?? '/', PHP_URL_PATH);
if (PHP_SAPI === 'cli-server' && is_file($file) && ! str_ends_with($file, '.php')) {
    return false;
}

require __DIR__.'/../vendor/autoload.php';
(require __DIR__.'/../bootstrap/app.php')->handleRequest(Request::capture());
