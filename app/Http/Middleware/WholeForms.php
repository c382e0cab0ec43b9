<?php

declare(strict_types=1);

namespace App\Http\Middleware;

use Closure;
use Illuminate\Http\Request;
use Lighterman\Core\Trouble\InvalidDefinition;
use Symfony\Component\HttpFoundation\Response;

/**
 * Refuses forms that PHP has cut: fields beyond max_input_vars are left out of a request with nothing but a line in the
 * server's log, so that a list comes shorter than it was sent.
 */
final class WholeForms
{
    /** @param  Closure(Request): Response  $next */
    public function handle(Request $request, Closure $next): Response
    {
        $most = (int) ini_get('max_input_vars');
        $sent = str_contains((string) $request->headers->get('Content-Type'), 'application/x-www-form-urlencoded')
            ? substr_count($request->getContent(), '&') + 1
            // The body of other forms cannot be had any more; what came of it is cut at the limit.
            : self::fields($request->request->all()) + 1;
        if ($sent > $most) {
            throw InvalidDefinition::at('form', 'it has '.number_format($sent, thousands_separator: ' ')." fields or more, and the server takes {$most}, so a part of it did not arrive; nothing was done", 'Choose fewer lines at a time, or raise max_input_vars where the web server runs PHP; a definition file (bin/lighterman route:load) has no such limit.');
        }

        return $next($request);
    }

    /** @param  array<array-key, mixed>  $given */
    private static function fields(array $given): int
    {
        return array_sum(array_map(static fn (mixed $v): int => is_array($v) ? self::fields($v) : 1, $given));
    }
}
