<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Asking;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Reach;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Trouble\QueryTrouble;
use SensitiveParameter;

/** The role that people's queries run under: how it is made, and whether it can do no more than it should. */
final class AskingRole
{
    private const ATTRIBUTES = 'LOGIN NOSUPERUSER NOCREATEDB NOCREATEROLE NOREPLICATION NOBYPASSRLS NOINHERIT CONNECTION LIMIT 20';

    /** Told by the role itself, so that no other is ever altered. */
    private const MADE = 'Made by Lighterman for queries of people.';

    /** Attributes that it must not have. */
    private const WRONG = ['rolsuper' => 'SUPERUSER', 'rolcreaterole' => 'CREATEROLE', 'rolcreatedb' => 'CREATEDB', 'rolreplication' => 'REPLICATION', 'rolbypassrls' => 'BYPASSRLS'];

    /** @return list<string> */
    public static function statements(string $database, string $user, string $password = "'…'", string $verb = 'CREATE'): array
    {
        $role = Quoted::name($user);

        return [
            "{$verb} ROLE {$role} ".self::ATTRIBUTES." PASSWORD {$password}",
            "ALTER ROLE {$role} SET default_transaction_read_only = on",
            'GRANT CONNECT ON DATABASE '.Quoted::name($database)." TO {$role}",
            "COMMENT ON ROLE {$role} IS ".Quoted::literal(self::MADE),
        ];
    }

    public static function make(PostgresSettings $administrator, string $user, #[SensitiveParameter] string $secret): void
    {
        $connection = new Connection($administrator, 'lighterman', readOnly: false);
        try {
            $connection->begin();
            $there = $connection->row("SELECT coalesce(shobj_description(oid, 'pg_authid'), '') AS said FROM pg_roles WHERE rolname = $1", [$user]);
            if ($there !== null && $there['said'] !== self::MADE) {
                throw QueryTrouble::refused("There is a role {$user} already, and it was not made for this: it would get another password and lose rights.", 'Choose another name; or, if it is meant for queries, give its password and say that the statements were run.');
            }
            foreach (self::statements($administrator->database, $user, Quoted::literal(self::verifier($secret)), $there === null ? 'CREATE' : 'ALTER') as $statement) {
                $connection->run($statement);
            }
            $connection->commit();
        } finally {
            $connection->rollback();
            $connection->close();
        }
    }

    /**
     * What the server keeps of a password, so that the password itself is in no statement that it may log.
     *
     * @see https://www.rfc-editor.org/rfc/rfc5802 and https://www.postgresql.org/docs/15/catalog-pg-authid.html
     */
    private static function verifier(#[SensitiveParameter] string $secret): string
    {
        $salt = random_bytes(16);
        $salted = hash_pbkdf2('sha256', $secret, $salt, 4096, 0, true);
        $stored = hash('sha256', hash_hmac('sha256', 'Client Key', $salted, true), true);

        return 'SCRAM-SHA-256$4096:'.base64_encode($salt).'$'.base64_encode($stored).':'.base64_encode(hash_hmac('sha256', 'Server Key', $salted, true));
    }

    /** @return list<Finding> */
    public static function check(PostgresSettings $asker, string $lands): array
    {
        $connection = new Connection($asker, 'lighterman', readOnly: true);
        try {
            $reach = Reach::findings($connection);
            if (array_filter($reach, static fn (Finding $f): bool => $f->result === 'failed') !== []) {
                return $reach;
            }

            return [...$reach, ...self::may($connection, $lands)];
        } finally {
            $connection->close();
        }
    }

    /** @return list<Finding> */
    private static function may(Connection $connection, string $lands): array
    {
        $user = $connection->settings->user;
        $role = Quoted::name($user);
        if ($user === $lands) {
            return [Finding::failed('Account', "{$user} is the account that lands, and may do all that.", 'Give queries an account of their own.')];
        }
        $of = $connection->row('SELECT * FROM pg_roles WHERE rolname = current_user') ?? [];
        $attributes = array_values(array_filter(self::WRONG, static fn (string $column): bool => $of[$column] === 't', ARRAY_FILTER_USE_KEY));
        $names = static fn (string $sql): array => array_map(static fn (?string $n): string => (string) $n, array_column($connection->rows($sql), 'name'));
        $memberships = $names('SELECT r.rolname AS name FROM pg_auth_members m JOIN pg_roles r ON r.oid = m.roleid WHERE m.member = (SELECT oid FROM pg_roles WHERE rolname = current_user) ORDER BY 1');
        $tables = "FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f', 'S') AND n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname !~ '^pg_(toast|temp)'";
        $written = $names("SELECT format('%I.%I', n.nspname, c.relname) AS name {$tables} AND has_schema_privilege(n.oid, 'USAGE') AND CASE WHEN c.relkind = 'S' THEN has_sequence_privilege(c.oid, 'USAGE, UPDATE') ELSE has_table_privilege(c.oid, 'INSERT, UPDATE, DELETE, TRUNCATE, TRIGGER') END ORDER BY 1");
        $owned = $names("SELECT format('%I.%I', n.nspname, c.relname) AS name {$tables} AND c.relowner = (SELECT oid FROM pg_roles WHERE rolname = current_user) ORDER BY 1");
        $made = $names("SELECT quote_ident(nspname) AS name FROM pg_namespace WHERE nspname !~ '^pg_' AND has_schema_privilege(oid, 'CREATE') ORDER BY 1");
        $some = static fn (array $of): string => implode(', ', array_slice($of, 0, 5)).(count($of) > 5 ? ' and '.(count($of) - 5).' more' : '');

        return [
            $attributes === [] ? Finding::passed('Attributes', "{$user} may make nothing, replicate nothing and is no superuser.") : Finding::failed('Attributes', "{$user} is ".implode(', ', $attributes).'.', "ALTER ROLE {$role} ".implode(' ', array_map(static fn (string $a): string => "NO{$a}", $attributes)).';'),
            $memberships === [] ? Finding::passed('Memberships', "{$user} is a member of no other role.") : Finding::failed('Memberships', "{$user} is a member of {$some($memberships)}, and may do what they may.", 'REVOKE '.implode(', ', array_map(Quoted::name(...), $memberships))." FROM {$role};"),
            $owned === [] ? Finding::passed('Owner', "{$user} owns no table.") : Finding::failed('Owner', "{$user} owns {$some($owned)}.", implode(' ', array_map(static fn (string $t): string => "ALTER TABLE {$t} OWNER TO ".Quoted::name($lands).';', $owned))),
            $written === [] ? Finding::passed('Writing', "{$user} may write to no table.") : Finding::failed('Writing', "{$user} may write to {$some($written)}.", 'REVOKE ALL ON '.implode(', ', $written)." FROM {$role}, PUBLIC;"),
            $made === [] ? Finding::passed('Making', "{$user} may make nothing in any schema.") : Finding::failed('Making', "{$user} may make tables and functions in {$some($made)}.", 'REVOKE CREATE ON SCHEMA '.implode(', ', $made)." FROM {$role}, PUBLIC;"),
        ];
    }
}
