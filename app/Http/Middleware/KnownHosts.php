<?php

declare(strict_types=1);

namespace App\Http\Middleware;

use Closure;
use Illuminate\Http\Request;
use Symfony\Component\HttpFoundation\Exception\SuspiciousOperationException;
use Symfony\Component\HttpFoundation\Response;

/** Answers only under the names that this installation has: a page made under another would lead there. */
final class KnownHosts
{
    public function handle(Request $request, Closure $next): Response
    {
        try {
            $host = strtolower($request->getHost());
        } catch (SuspiciousOperationException) {
            $host = '';
        }
        if (! in_array($host, config('lighterman.hosts'), true)) {
            return response('This installation is not known by that name. LIGHTERMAN_HOSTS says which names it has.', 421)->header('Content-Type', 'text/plain; charset=utf-8');
        }

        return $next($request);
    }
}
