<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Server;

/**
 * Names and values as they are written in SQL.
 *
 * @see https://www.postgresql.org/docs/15/sql-syntax-lexical.html
 */
final class Quoted
{
    public static function name(string $name): string
    {
        return '"'.str_replace('"', '""', $name).'"';
    }

    /** @param  list<string>  $names */
    public static function names(array $names, string $prefix = ''): string
    {
        return implode(', ', array_map(static fn (string $n): string => $prefix.self::name($n), $names));
    }

    public static function literal(string $value): string
    {
        return "'".str_replace("'", "''", $value)."'";
    }
}
