<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Server;

/**
 * What has to be granted, as the statement to run, from what the server says of the one that it refused.
 *
 * @see https://www.postgresql.org/docs/15/ddl-priv.html
 */
final class Privilege
{
    private const RELATIONS = 'table|view|materialized view|foreign table|partitioned table';

    /**
     * @param  string  $said  the server's message, as it is without translation
     * @param  string  $refused  the statement; the message leaves out the schema
     * @param  bool  $reads  whether nothing is ever written there
     * @return string|null null where it cannot be told
     */
    public static function remedy(PostgresSettings $at, string $said, string $refused, bool $reads): ?string
    {
        $user = Quoted::name($at->user);

        return match (true) {
            (bool) preg_match('/\breplication\b/', $said) => "ALTER ROLE {$user} REPLICATION; as a superuser.",
            (bool) preg_match('/^permission denied for (?:'.self::RELATIONS.') (.+)$/', $said, $m) => 'GRANT '.match (true) {
                $reads => 'SELECT', str_contains($refused, 'CREATE TRIGGER') => 'TRIGGER', default => 'SELECT, INSERT, UPDATE, DELETE, TRUNCATE',
            }.' ON '.self::named($m[1], $refused)." TO {$user}; as its owner.",
            (bool) preg_match('/^permission denied for schema (.+)$/', $said, $m) => 'GRANT USAGE'.($reads ? '' : ', CREATE').' ON SCHEMA '.Quoted::name($m[1])." TO {$user}; as its owner.",
            (bool) preg_match('/^permission denied for database (.+)$/', $said, $m) => 'GRANT CONNECT'.($reads ? '' : ', CREATE').' ON DATABASE '.Quoted::name($m[1])." TO {$user}; as its owner.",
            (bool) preg_match('/^must be owner of (?:'.self::RELATIONS.') (.+)$/', $said, $m) => 'ALTER TABLE '.self::named($m[1], $refused)." OWNER TO {$user}; as its owner or a superuser.",
            default => null,
        };
    }

    /** A table with its schema, where the statement names that. */
    private static function named(string $table, string $statement): string
    {
        $quoted = Quoted::name($table);

        return preg_match('/((?:"(?:[^"]|"")+"|\w+)\.)(?:'.preg_quote($quoted, '/').'|'.preg_quote($table, '/').'\b)/', $statement, $m) ? $m[1].$quoted : $quoted;
    }
}
