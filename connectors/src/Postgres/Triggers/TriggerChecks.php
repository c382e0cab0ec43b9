<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Triggers;

use Lighterman\Connectors\Postgres\Log\LogChecks;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Shape\TableName;

/** Whether triggers may be put on tables of a PostgreSQL database, and what to run where they may not. */
final readonly class TriggerChecks
{
    public const SCHEMA = 'lighterman';

    public function __construct(private Connection $connection)
    {
    }

    /**
     * @param  list<TableName>  $tables
     * @param  list<string>  $wanting  those of them that triggers have to be put on
     * @param  bool  $made  whether the change table is there
     * @return list<Finding>
     */
    public function findings(array $tables, array $wanting, bool $made): array
    {
        $findings = $this->server($made);
        foreach ($tables as $table) {
            $findings[] = $this->table($table, in_array((string) $table, $wanting, true));
        }

        return $findings;
    }

    /** @return list<Finding> */
    private function server(bool $made): array
    {
        $row = $this->connection->row("SELECT current_setting('server_version_num')::int AS version, pg_is_in_recovery() AS standby, current_database() AS name,
            CASE WHEN to_regnamespace($1) IS NULL THEN has_database_privilege(current_database(), 'CREATE') ELSE has_schema_privilege($1, 'CREATE') END AS creates, to_regnamespace($1) IS NULL AS without", [self::SCHEMA]) ?? [];
        $user = Quoted::name($this->connection->settings->user);
        $schema = Quoted::name(self::SCHEMA);

        return [
            (int) $row['version'] >= 130000
                ? Finding::passed('Version', 'The server is new enough.')
                : Finding::failed('Version', 'Recording changes by trigger needs PostgreSQL 13 or later.', 'Upgrade the server, or use capture watermark or reload.'),
            $row['standby'] === 't'
                ? Finding::failed('Primary', 'The server is a standby; no change table can be made in it.', 'Name the primary server.')
                : Finding::passed('Primary', 'The server is a primary.'),
            match (true) {
                $made => Finding::passed('Change table', 'It is there.'),
                $row['creates'] === 't' => Finding::passed('Change table', 'It will be made in schema '.self::SCHEMA.'.'),
                $row['without'] === 't' => Finding::failed('Change table', "{$this->connection->settings->user} may not make a schema for the change table.", "CREATE SCHEMA {$schema} AUTHORIZATION {$user};"),
                default => Finding::failed('Change table', "{$this->connection->settings->user} may not make a change table in schema ".self::SCHEMA.'.', "GRANT USAGE, CREATE ON SCHEMA {$schema} TO {$user};"),
            },
        ];
    }

    private function table(TableName $table, bool $wanting): Finding
    {
        // A trigger of a parted table is put on each of its partitions.
        $row = $this->connection->row(<<<'SQL'
            SELECT c.relkind, (SELECT string_agg(format('"%s"."%s"', replace(n.nspname, '"', '""'), replace(k.relname, '"', '""')), ', ' ORDER BY k.oid) FROM pg_class k JOIN pg_namespace n ON n.oid = k.relnamespace
                               WHERE (k.oid = c.oid OR k.oid IN (SELECT relid FROM pg_partition_tree(c.oid))) AND NOT has_table_privilege(k.oid, 'TRIGGER')) AS without
            FROM pg_class c WHERE c.oid = to_regclass($1)
            SQL, [Sql::table($table)]);

        return match (true) {
            $row === null => Finding::noTable($table),
            ! in_array($row['relkind'], ['r', 'p'], true) => Finding::failed((string) $table, "{$table} is not a table that triggers can be put on.", 'Use capture reload or watermark for it.'),
            ($heirs = LogChecks::heirsOf($this->connection, [$table])) !== [] => LogChecks::noHeirs($table, $heirs[(string) $table]),
            ! $wanting => Finding::passed((string) $table, 'Its triggers are in place.'),
            $row['without'] === null => Finding::passed((string) $table, 'Triggers will be put on it.'),
            default => Finding::failed((string) $table, "{$this->connection->settings->user} may not put triggers on {$table}.", "GRANT TRIGGER ON {$row['without']} TO ".Quoted::name($this->connection->settings->user).';'),
        };
    }
}
