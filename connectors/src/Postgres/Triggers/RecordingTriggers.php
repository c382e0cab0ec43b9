<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Triggers;

use Lighterman\Connectors\Postgres\Log\LogChecks;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Core\Shape\TableName;

/** The triggers that record a table's changes in a change table, and what may be amiss with them. */
final readonly class RecordingTriggers
{
    /** What the names of a table's triggers end in. */
    private const TRIGGERS = ['', '_truncate', '_begin'];

    /** Whether a table `c` and its partitions are ours, which may belong to others than the table. */
    private const OWNED = "(SELECT bool_and(pg_has_role(k.relowner, 'USAGE')) FROM pg_class k WHERE k.oid = c.oid OR k.oid IN (SELECT relid FROM pg_partition_tree(c.oid)))";

    /**
     * @param  string  $id  of the change table
     * @param  string  $changes  its name, quoted
     */
    public function __construct(private Connection $connection, private string $id, private string $changes)
    {
    }

    /** @return list<string> */
    public function statements(TableName $table): array
    {
        $function = $this->function($table);
        $on = Sql::table($table);

        $names = array_map(fn (string $part): string => Quoted::name("lighterman_{$this->id}{$part}"), self::TRIGGERS);

        return [
            // Rendering must not depend on the settings of whoever writes.
            "CREATE FUNCTION {$function}() RETURNS trigger LANGUAGE plpgsql SECURITY DEFINER SET search_path = pg_catalog, pg_temp SET DateStyle = 'ISO, YMD' SET IntervalStyle = 'postgres' SET TimeZone = 'UTC' SET bytea_output = 'hex' SET extra_float_digits = 1 AS ".Quoted::literal($this->body($table)),
            "CREATE TRIGGER {$names[0]} AFTER INSERT OR UPDATE OR DELETE ON {$on} FOR EACH ROW EXECUTE FUNCTION {$function}()",
            "CREATE TRIGGER {$names[1]} AFTER TRUNCATE ON {$on} FOR EACH STATEMENT EXECUTE FUNCTION {$function}()",
            "CREATE TRIGGER {$names[2]} BEFORE INSERT OR UPDATE OR DELETE ON {$on} FOR EACH STATEMENT EXECUTE FUNCTION {$function}()",
            // Also for those whose session takes the part of a replica, in which other triggers do not fire.
            ...($this->owns($table) ? ["ALTER TABLE {$on} ".implode(', ', array_map(static fn (string $n): string => "ENABLE ALWAYS TRIGGER {$n}", $names))] : []),
        ];
    }

    private function owns(TableName $table): bool
    {
        return $this->connection->value('SELECT '.self::OWNED.' FROM pg_class c WHERE c.oid = to_regclass($1)', [Sql::table($table)]) === 't';
    }

    private function function(TableName $table): string
    {
        return Quoted::name(TriggerChecks::SCHEMA).'.'.Quoted::name("record_{$this->id}_".hash('xxh32', (string) $table));
    }

    private function body(TableName $table): string
    {
        $name = Quoted::literal((string) $table);

        // The columns are looked up once in a statement and table, since that costs as much as the rest; within a transaction
        // they may change between two statements.
        return <<<SQL

            DECLARE
                turn text := coalesce(current_setting('lighterman.turn', true), '') || chr(10);
                known text := current_setting('lighterman.columns_' || TG_RELID, true);
            BEGIN
                IF TG_WHEN = 'BEFORE' THEN
                    PERFORM set_config('lighterman.turn', clock_timestamp()::text, true);
                    RETURN NULL;
                END IF;
                IF known IS NULL OR NOT starts_with(known, turn) THEN
                    known := turn || (SELECT json_agg(json_build_array(a.attname, a.atttypid::bigint, a.atttypmod, a.attnum) ORDER BY a.attnum) FROM pg_attribute a WHERE a.attrelid = TG_RELID AND a.attnum > 0 AND NOT a.attisdropped);
                    PERFORM set_config('lighterman.columns_' || TG_RELID, known, true);
                END IF;
                INSERT INTO {$this->changes} (xid, at, source, kind, columns, row_before, row_after)
                VALUES (pg_current_xact_id(), clock_timestamp(), {$name}, lower(TG_OP), substr(known, length(turn) + 1), OLD::text, NEW::text);
                RETURN NULL;
            END
            SQL."\n";
    }

    /**
     * @param  list<TableName>  $tables
     * @return array<string, string> what is wrong, by table
     */
    public function amiss(array $tables): array
    {
        $amiss = LogChecks::heirsOf($this->connection, $tables);
        $wanted = json_encode(array_map(fn (TableName $t): array => ['said' => (string) $t, 'oid' => Sql::table($t), 'body' => $this->body($t), 'function' => $this->function($t).'()'], $tables), JSON_THROW_ON_ERROR);
        // Partitions have triggers of their own, which can be disabled by themselves.
        $rows = $this->connection->rows('SELECT w.said, p.oid IS NOT NULL AS made, p.prosrc = w.body AS same, count(t.oid) FILTER (WHERE t.tgrelid = c.oid) AS there,
                   count(t.oid) FILTER (WHERE t.tgenabled NOT IN (\'A\', CASE WHEN o.owned THEN \'A\' ELSE \'O\' END)) AS disabled
            FROM json_to_recordset($1) w(said text, oid text, body text, function text)
            LEFT JOIN pg_proc p ON p.oid = to_regprocedure(w.function)
            LEFT JOIN pg_class c ON c.oid = to_regclass(w.oid)
            LEFT JOIN LATERAL (SELECT '.self::OWNED.' AS owned) o ON true
            LEFT JOIN pg_trigger t ON t.tgfoid = p.oid
            GROUP BY w.said, w.body, p.oid, p.prosrc', [$wanted]);
        foreach ($rows as $found) {
            $why = match (true) {
                $found['made'] !== 't', (int) $found['there'] < count(self::TRIGGERS) => 'a trigger was missing',
                $found['disabled'] !== '0' => 'a trigger was disabled',
                $found['same'] !== 't' => 'the trigger was older than this version of Lighterman',
                default => null,
            };
            if ($why !== null) {
                $amiss[(string) $found['said']] = $why;
            }
        }

        return $amiss;
    }

    /** The triggers go with the function, which is ours even where the table is not. */
    public function dropping(TableName $table): string
    {
        return "DROP FUNCTION IF EXISTS {$this->function($table)}() CASCADE";
    }

    /** @return list<string> */
    public function droppingAll(): array
    {
        $functions = $this->connection->rows('SELECT p.oid::regprocedure::text AS name FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace WHERE n.nspname = $1 AND starts_with(p.proname, $2)', [TriggerChecks::SCHEMA, "record_{$this->id}_"]);

        return array_map(static fn (array $f): string => "DROP FUNCTION {$f['name']} CASCADE", $functions);
    }
}
