<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Log;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Shape\TableName;

/** Whether a PostgreSQL server lets its log be read, and what to run where it does not. */
final readonly class LogChecks
{
    /** How a publication of ours is set. */
    public const ALL = "publish = 'insert, update, delete, truncate', publish_via_partition_root = true";

    public function __construct(private Connection $connection, private string $slot, private string $publication)
    {
    }

    /**
     * @param  list<TableName>  $tables
     * @return list<Finding>
     */
    public function findings(array $tables): array
    {
        $findings = [...$this->server(), ...$this->publication($tables)];
        foreach ($tables as $table) {
            $findings = [...$findings, ...$this->table($table)];
        }

        return $findings;
    }

    /** @return list<Finding> */
    private function server(): array
    {
        $row = $this->connection->row(<<<'SQL'
            SELECT current_setting('server_version_num')::int AS version, pg_is_in_recovery() AS standby, current_setting('wal_level') AS level,
                   current_setting('max_replication_slots')::int AS slots, current_setting('max_wal_senders')::int AS senders,
                   (SELECT count(*) FROM pg_replication_slots WHERE slot_name <> $1) AS used,
                   (SELECT count(*) FROM pg_stat_replication r WHERE NOT EXISTS (SELECT 1 FROM pg_replication_slots s WHERE s.slot_name = $1 AND s.active_pid = r.pid)) AS sending,
                   (SELECT rolreplication OR rolsuper FROM pg_roles WHERE rolname = current_user) AS allowed,
                   current_setting('max_slot_wal_keep_size') AS keep
            SQL, [$this->slot]) ?? [];
        $user = Quoted::name($this->connection->settings->user);
        $slots = (int) ($row['slots'] ?? 0);
        $senders = (int) ($row['senders'] ?? 0);

        return [
            (int) ($row['version'] ?? 0) >= 140000
                ? Finding::passed('Version', 'The server is new enough.')
                : Finding::failed('Version', 'Reading the log with its messages needs PostgreSQL 14 or later.', 'Upgrade the server, or use capture watermark or reload.'),
            $row['standby'] === 't'
                ? Finding::failed('Primary', 'The server is a standby; marks cannot be written into its log.', 'Name the primary server.')
                : Finding::passed('Primary', 'The server is a primary.'),
            $row['level'] === 'logical'
                ? Finding::passed('Log level', 'wal_level is logical.')
                : Finding::failed('Log level', "wal_level is {$row['level']}, so the log does not hold whole changes.", 'ALTER SYSTEM SET wal_level = logical; then restart the server.'),
            $row['allowed'] === 't'
                ? Finding::passed('Replication', "{$this->connection->settings->user} may read the log.")
                : Finding::failed('Replication', "{$this->connection->settings->user} may not read the log.", "ALTER ROLE {$user} REPLICATION;"),
            (int) $row['used'] < $slots
                ? Finding::passed('Slots', "{$row['used']} of {$slots} replication slots are used by others.")
                : Finding::failed('Slots', "All {$slots} replication slots are used by others.", 'ALTER SYSTEM SET max_replication_slots = '.($slots + 5).'; then restart the server. Or drop a slot that nobody reads.'),
            (int) $row['sending'] < $senders
                ? Finding::passed('Senders', "{$row['sending']} of {$senders} log senders are busy with others.")
                : Finding::failed('Senders', "All {$senders} log senders are busy with others.", 'ALTER SYSTEM SET max_wal_senders = '.($senders + 5).'; then restart the server.'),
            $row['keep'] === '-1'
                ? Finding::passed('Log kept', 'The server keeps its log as long as it is needed; the route\'s own limit guards its disk.')
                : Finding::warned('Log kept', "The server itself drops the slot once it holds back {$row['keep']} of log (max_slot_wal_keep_size).", 'Set the route\'s spool limit below that.'),
        ];
    }

    /**
     * @param  list<TableName>  $tables
     * @return list<Finding>
     */
    private function publication(array $tables): array
    {
        $name = Quoted::name($this->publication);
        $there = $this->connection->row('SELECT pubinsert AND pubupdate AND pubdelete AND pubtruncate AS all, pubviaroot, pg_has_role(pubowner, \'USAGE\') AS mine FROM pg_publication WHERE pubname = $1', [$this->publication]);
        $missing = $this->missing($tables);
        $list = implode(', ', array_map(Sql::table(...), $missing));
        $foreign = array_values(array_filter($missing, fn (TableName $t): bool => ! $this->owns($t)));
        if ($there === null) {
            if ($foreign === [] && $this->connection->value("SELECT has_database_privilege(current_database(), 'CREATE')") === 't') {
                return [Finding::passed('Publication', "Publication {$this->publication} will be created.")];
            }

            return [Finding::failed('Publication', "There is no publication {$this->publication}, and {$this->connection->settings->user} does not own ".implode(', ', array_map(strval(...), $foreign ?: $missing)).', as making one takes.', "CREATE PUBLICATION {$name} FOR TABLE ".($list === '' ? '…' : $list).' WITH (publish_via_partition_root = true); as the owner of the tables.')];
        }
        $findings = [];
        if ($there['mine'] !== 't' && ($there['all'] !== 't' || $there['pubviaroot'] !== 't')) {
            $findings[] = Finding::failed('Publication', "Publication {$this->publication} leaves out some kinds of change, or tells those of a parted table as its parts'.", "ALTER PUBLICATION {$name} SET (".self::ALL.');');
        }
        if ($missing !== [] && ($foreign !== [] || $there['mine'] !== 't')) {
            $findings[] = Finding::failed('Publication', "Publication {$this->publication} lacks ".implode(', ', array_map(strval(...), $missing)).", and {$this->connection->settings->user} may not add to it.", "ALTER PUBLICATION {$name} ADD TABLE {$list}; as the owner.");
        }

        return $findings ?: [Finding::passed('Publication', "Publication {$this->publication} ".($missing === [] ? 'has the tables.' : 'will take in '.implode(', ', array_map(strval(...), $missing)).'.'))];
    }

    /**
     * @param  list<TableName>  $tables
     * @return list<TableName> those the publication does not have, be it by name, schema or all tables
     */
    public function missing(array $tables): array
    {
        $has = array_map(static fn (array $r): string => (string) new TableName((string) $r['schemaname'], (string) $r['tablename']), $this->connection->rows('SELECT schemaname, tablename FROM pg_publication_tables WHERE pubname = $1', [$this->publication]));

        return array_values(array_filter($tables, static fn (TableName $t): bool => ! in_array((string) $t, $has, true)));
    }

    /** Whether the publication is set to leave out kinds of change, or to tell those of a parted table as its parts'. */
    public function leavesOut(): bool
    {
        return $this->connection->value('SELECT NOT (pubinsert AND pubupdate AND pubdelete AND pubtruncate AND pubviaroot) FROM pg_publication WHERE pubname = $1', [$this->publication]) === 't';
    }

    /**
     * @param  list<TableName>  $tables
     * @return array<string, string> why, by table: those of which the publication has a part of the rows or columns only
     */
    public function filtered(array $tables): array
    {
        // Before PostgreSQL 15 there is no such thing, nor a column that says so.
        $rows = $this->connection->rows("SELECT n.nspname AS schema, c.relname AS name FROM pg_publication_rel r JOIN pg_publication p ON p.oid = r.prpubid JOIN pg_class c ON c.oid = r.prrelid JOIN pg_namespace n ON n.oid = c.relnamespace WHERE p.pubname = $1 AND (to_jsonb(r) ->> 'prqual' IS NOT NULL OR to_jsonb(r) ->> 'prattrs' IS NOT NULL)", [$this->publication]);
        $names = array_map(static fn (array $r): string => (string) new TableName((string) $r['schema'], (string) $r['name']), $rows);

        return array_fill_keys(array_filter(array_map(strval(...), $tables), static fn (string $t): bool => in_array($t, $names, true)), "publication {$this->publication} was altered to take a part of it only");
    }

    /**
     * @param  list<TableName>  $tables
     * @return array<string, string> why, by table: those that others inherit from
     */
    public function heirs(array $tables): array
    {
        return self::heirsOf($this->connection, $tables);
    }

    /**
     * Rows of tables that inherit from another are read with it, but their changes are not told as its own.
     *
     * @param  list<TableName>  $tables
     * @return array<string, string> why, by table
     */
    public static function heirsOf(Connection $connection, array $tables): array
    {
        $wanted = json_encode(array_map(static fn (TableName $t): array => ['said' => (string) $t, 'oid' => Sql::table($t)], $tables), JSON_THROW_ON_ERROR);
        $why = [];
        foreach ($connection->rows(<<<'SQL'
            SELECT w.said, string_agg(i.inhrelid::regclass::text, ', ') AS heirs FROM json_to_recordset($1::json) w(said text, oid text) JOIN pg_class c ON c.oid = to_regclass(w.oid) AND c.relkind = 'r' JOIN pg_inherits i ON i.inhparent = c.oid GROUP BY w.said
            SQL, [$wanted]) as $row) {
            $why[(string) $row['said']] = "{$row['heirs']} inherits from it";
        }

        return $why;
    }

    public static function noHeirs(TableName $table, string $why): Finding
    {
        return Finding::failed((string) $table, "Of {$table}, {$why}: a load would bring the rows of both, and changes only those of {$table} itself.", 'Use capture reload or watermark for it, or a table without heirs.');
    }

    private function owns(TableName $table): bool
    {
        return $this->connection->value("SELECT pg_has_role(relowner, 'USAGE') FROM pg_class WHERE oid = to_regclass($1)", [Sql::table($table)]) !== 'f';
    }

    /** @return list<Finding> */
    private function table(TableName $table): array
    {
        $row = $this->connection->row(<<<'SQL'
            SELECT c.relkind, c.relreplident AS identity, c.relpersistence,
                   EXISTS (SELECT 1 FROM pg_index i WHERE i.indrelid = c.oid AND i.indisprimary AND i.indimmediate) AS keyed,
                   (SELECT string_agg(attname, ', ') FROM pg_attribute a WHERE a.attrelid = c.oid AND a.attgenerated <> '' AND NOT a.attisdropped) AS generated
            FROM pg_class c WHERE c.oid = to_regclass($1)
            SQL, [Sql::table($table)]);
        if ($row === null) {
            return [Finding::noTable($table)];
        }
        if (! in_array($row['relkind'], ['r', 'p'], true) || $row['relpersistence'] !== 'p') {
            return [Finding::failed((string) $table, "{$table} is not an ordinary table, so its changes are not in the log.", 'Use capture reload or watermark for it.')];
        }
        $heirs = $this->heirs([$table]);
        if ($heirs !== []) {
            return [self::noHeirs($table, $heirs[(string) $table])];
        }
        $findings = match (true) {
            $row['identity'] === 'f' => [Finding::passed((string) $table, 'Old rows are logged whole (replica identity full).')],
            $row['identity'] === 'i' => [Finding::passed((string) $table, 'Old rows are logged by a unique index (replica identity).')],
            $row['identity'] === 'd' && $row['keyed'] === 't' => [Finding::passed((string) $table, 'Old rows are logged by the primary key.')],
            default => [Finding::failed((string) $table, "{$table} has no primary key that the log could name old rows by. If it were published so, updates and deletes at the source would fail.", 'ALTER TABLE '.Sql::table($table).' ADD PRIMARY KEY (…); or ALTER TABLE '.Sql::table($table).' REPLICA IDENTITY FULL;')],
        };

        return $row['generated'] === null ? $findings : [...$findings, Finding::warned((string) $table, "{$row['generated']} is computed by the source and not in its log.", 'It is left out; derive it in the target if it is needed.')];
    }
}
