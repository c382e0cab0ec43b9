<?php

declare(strict_types=1);

namespace App\Http\Middleware;

use Illuminate\Http\Middleware\TrustProxies;
use Illuminate\Http\Request;

/** Believes what a proxy says of who asks, and how, only of those that whoever keeps this installation has named. */
final class KnownProxies extends TrustProxies
{
    protected $headers = Request::HEADER_X_FORWARDED_FOR | Request::HEADER_X_FORWARDED_PROTO | Request::HEADER_X_FORWARDED_PORT;

    /** @return list<string>|null */
    protected function proxies()
    {
        return config('lighterman.proxies') ?: null;
    }
}
