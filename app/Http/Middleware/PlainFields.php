<?php

declare(strict_types=1);

namespace App\Http\Middleware;

use Closure;
use Illuminate\Http\Request;
use Lighterman\Core\Trouble\InvalidDefinition;
use Symfony\Component\HttpFoundation\Response;

/** Refuses what no page sends: a list where a value belongs, and text that is none. What comes after need not ask again. */
final class PlainFields
{
    /** Fields that are lists. */
    public const LISTS = ['after', 'feeds', 'key', 'lines', 'null', 'records', 'steps', 'tables', 'until', 'values'];

    /** Levels of lists within such a field. */
    private const DEEP = 3;

    /** @param  Closure(Request): Response  $next */
    public function handle(Request $request, Closure $next): Response
    {
        foreach ($request->all() as $name => $value) {
            if (is_array($value) && ! in_array($name, self::LISTS, true)) {
                throw self::refused((string) $name, 'came as a list, and is a single value');
            }
            self::look((string) $name, $value, self::DEEP);
        }

        return $next($request);
    }

    private static function look(string $name, mixed $value, int $deep): void
    {
        if (is_array($value)) {
            foreach ($deep > 0 ? $value : throw self::refused($name, 'is nested deeper than any page sends it') as $key => $of) {
                self::look($name, (string) $key, 0);
                self::look($name, $of, $deep - 1);
            }
        } elseif (is_string($value) && (str_contains($value, "\0") || ! mb_check_encoding($value, 'UTF-8'))) {
            throw self::refused($name, 'holds bytes that are no text');
        }
    }

    private static function refused(string $name, string $why): InvalidDefinition
    {
        return InvalidDefinition::at('form', 'its field '.mb_strcut(mb_scrub($name), 0, 40)." {$why}; nothing was done", 'Send it from the page it belongs to.');
    }
}
