<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Triggers;

use Generator;
use Lighterman\Connectors\Postgres\Log\LoadReader;
use Lighterman\Connectors\Postgres\Log\LogChecks;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Identities;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Connectors\Triggers\ChangeTable;
use Lighterman\Connectors\Triggers\Reading;
use Lighterman\Connectors\Triggers\StoredChange;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Port\LoadChunk;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * A change table in PostgreSQL.
 *
 * A reading is the server's own snapshot: every change carries the number of its transaction, and what a snapshot sees of
 * them is fixed for ever. A transaction that is open while a reading is made belongs to a later one, whatever the numbers
 * of its changes. Transactions of one reading follow each other by their last change: who changes a row after somebody
 * else has waited for his commit, so that his later change has the greater number.
 *
 * Rows are recorded in the text form of a row value with the columns beside it, so that no alteration of the table can
 * make the trigger fail and the source's own writing with it.
 *
 * @see https://www.postgresql.org/docs/15/functions-info.html#FUNCTIONS-PG-SNAPSHOT
 */
final class PostgresChangeTable implements ChangeTable
{
    private const FETCH = 5000;

    private const FIRST = 1;

    private const FETCHED_BYTES = 4 << 20;

    /** What the names of a table's triggers end in. */
    private const TRIGGERS = ['', '_truncate', '_begin'];

    /** Whether a table `c` and its partitions are ours, which may belong to others than the table. */
    private const OWNED = "(SELECT bool_and(pg_has_role(k.relowner, 'USAGE')) FROM pg_class k WHERE k.oid = c.oid OR k.oid IN (SELECT relid FROM pg_partition_tree(c.oid)))";

    private readonly Connection $writing;

    private readonly Connection $reading;

    private readonly Connection $loading;

    private readonly string $changes;

    private readonly string $readings;

    private ?bool $commitTimes = null;

    /** @var array<string, list<string>> column names by how the trigger wrote them down */
    private array $columns = [];

    /** @param  string  $id  tells this change table from those of other routes; lower-case letters and digits */
    public function __construct(private readonly PostgresSettings $settings, private readonly string $id)
    {
        $this->writing = new Connection($settings, 'lighterman triggers set-up', readOnly: false);
        $this->reading = new Connection($settings, Connection::READER, readOnly: true);
        $this->loading = new Connection($settings, Connection::READER, readOnly: true);
        $this->changes = Sql::table(new TableName(TriggerChecks::SCHEMA, "changes_{$id}"));
        $this->readings = Sql::table(new TableName(TriggerChecks::SCHEMA, "readings_{$id}"));
    }

    public function findings(array $tables): array
    {
        return (new TriggerChecks($this->writing))->findings($tables, array_keys($this->exists() ? $this->amiss($tables) : array_flip(array_map(strval(...), $tables))), $this->exists());
    }

    public function name(): string
    {
        return TriggerChecks::SCHEMA.".changes_{$this->id}";
    }

    public function exists(): bool
    {
        return $this->writing->value('SELECT to_regclass($1) IS NOT NULL AND to_regclass($2) IS NOT NULL', [$this->changes, $this->readings]) === 't';
    }

    public function tableStatements(int $first = 0): array
    {
        $schema = Quoted::name(TriggerChecks::SCHEMA);
        $index = Quoted::name("changes_{$this->id}_xid");

        return [
            "CREATE SCHEMA IF NOT EXISTS {$schema}",
            "CREATE TABLE {$this->changes} (seq bigint GENERATED ALWAYS AS IDENTITY PRIMARY KEY, xid xid8 NOT NULL, at timestamptz NOT NULL, source text NOT NULL, kind text NOT NULL, columns text NOT NULL, row_before text, row_after text)",
            "CREATE INDEX {$index} ON {$this->changes} (xid)",
            "CREATE TABLE {$this->readings} (number bigint PRIMARY KEY, seen pg_snapshot NOT NULL, at timestamptz NOT NULL)",
            "INSERT INTO {$this->readings} SELECT {$first}, pg_current_snapshot(), clock_timestamp()",
        ];
    }

    public function create(int $first): void
    {
        $this->drop();
        $has = $this->writing->value('SELECT 1 FROM pg_namespace WHERE nspname = $1', [TriggerChecks::SCHEMA]) !== null;
        $this->inOneTransaction(array_slice($this->tableStatements($first), $has ? 1 : 0));
    }

    public function triggerStatements(TableName $table): array
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
        return $this->writing->value('SELECT '.self::OWNED.' FROM pg_class c WHERE c.oid = to_regclass($1)', [Sql::table($table)]) === 't';
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

    public function amiss(array $tables): array
    {
        $amiss = LogChecks::heirsOf($this->writing, $tables);
        $wanted = json_encode(array_map(fn (TableName $t): array => ['said' => (string) $t, 'oid' => Sql::table($t), 'body' => $this->body($t), 'function' => $this->function($t).'()'], $tables), JSON_THROW_ON_ERROR);
        // Partitions have triggers of their own, which can be disabled by themselves.
        $rows = $this->writing->rows('SELECT w.said, p.oid IS NOT NULL AS made, p.prosrc = w.body AS same, count(t.oid) FILTER (WHERE t.tgrelid = c.oid) AS there,
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

    public function install(TableName $table): void
    {
        try {
            $this->inOneTransaction(["SET LOCAL lock_timeout = '5s'", $this->dropping($table), ...$this->triggerStatements($table)]);
        } catch (SystemTrouble $trouble) {
            throw $trouble->reason !== Reason::Busy ? $trouble : SystemTrouble::passing(Reason::OpenTransactions, "{$this->settings->system}: triggers can be put on {$table} only at a moment when no transaction that wrote to it is open; there was none for 5 s.", 'Lighterman tries again. If it stays so, have the transaction ended that holds the table.');
        }
    }

    private function dropping(TableName $table): string
    {
        // The triggers go with the function, which is ours even where the table is not.
        return "DROP FUNCTION IF EXISTS {$this->function($table)}() CASCADE";
    }

    public function uninstall(TableName $table): void
    {
        $this->inOneTransaction(["SET LOCAL lock_timeout = '5s'", $this->dropping($table)]);
    }

    public function drop(): void
    {
        $functions = array_column($this->writing->rows('SELECT p.oid::regprocedure::text AS name FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace WHERE n.nspname = $1 AND starts_with(p.proname, $2)', [TriggerChecks::SCHEMA, "record_{$this->id}_"]), 'name');
        $this->inOneTransaction([
            "SET LOCAL lock_timeout = '10s'",
            ...array_map(static fn (?string $f): string => "DROP FUNCTION {$f} CASCADE", $functions),
            "DROP TABLE IF EXISTS {$this->changes}, {$this->readings}",
        ]);
    }

    /** @param  list<string>  $statements */
    private function inOneTransaction(array $statements): void
    {
        $this->writing->begin();
        try {
            array_map($this->writing->run(...), $statements);
            $this->writing->commit();
        } finally {
            $this->writing->rollback();
        }
    }

    public function bytes(): int
    {
        return (int) $this->writing->value('SELECT pg_total_relation_size($1::regclass)', [$this->changes]);
    }

    public function reading(int $number): ?Reading
    {
        return self::made($this->writing->row("SELECT number, seen, (extract(epoch FROM at) * 1000000)::bigint AS at FROM {$this->readings} WHERE number = $1", [$number]));
    }

    public function last(): Reading
    {
        return self::made($this->writing->row("SELECT number, seen, (extract(epoch FROM at) * 1000000)::bigint AS at FROM {$this->readings} ORDER BY number DESC LIMIT 1"))
            ?? throw SystemTrouble::lasting(Reason::ChangesGone, "{$this->settings->system}: the readings of {$this->name()} are gone.", 'Begin anew on the route\'s page.');
    }

    public function after(Reading $reading): ?Reading
    {
        return self::made($this->writing->row(<<<SQL
            WITH stored AS (SELECT * FROM {$this->readings} WHERE number = $1),
            made AS (
                INSERT INTO {$this->readings} SELECT $1, pg_current_snapshot(), clock_timestamp()
                WHERE NOT EXISTS (SELECT FROM stored) AND EXISTS (
                    SELECT FROM {$this->changes} WHERE xid >= pg_snapshot_xmin($2) AND NOT pg_visible_in_snapshot(xid, $2))
                ON CONFLICT DO NOTHING RETURNING *)
            SELECT number, seen, (extract(epoch FROM at) * 1000000)::bigint AS at FROM (TABLE stored UNION ALL TABLE made) r
            SQL, [$reading->number + 1, $reading->seen]));
    }

    /** @param  array<string, string|null>|null  $row */
    private static function made(?array $row): ?Reading
    {
        return $row === null ? null : new Reading((int) $row['number'], (string) $row['seen'], (int) $row['at']);
    }

    public function between(Reading $before, Reading $upTo): Generator
    {
        [$from, $to] = [Quoted::literal($before->seen).'::pg_snapshot', Quoted::literal($upTo->seen).'::pg_snapshot'];
        $at = 'max(at)';
        if ($this->commitTimes ??= $this->reading->value('SHOW track_commit_timestamp') === 'on') {
            $at = "coalesce(pg_xact_commit_timestamp(xid::xid), {$at})";
        }
        $this->reading->run('BEGIN READ ONLY');
        try {
            $this->reading->run(<<<SQL
                DECLARE changes_of_reading NO SCROLL CURSOR FOR
                WITH ours AS MATERIALIZED (
                    SELECT xid, max(seq) AS last, {$at} AS at FROM {$this->changes}
                    WHERE xid >= pg_snapshot_xmin({$from}) AND xid < pg_snapshot_xmax({$to}) AND pg_visible_in_snapshot(xid, {$to}) AND NOT pg_visible_in_snapshot(xid, {$from})
                    GROUP BY xid)
                SELECT ours.last, (extract(epoch FROM ours.at) * 1000000)::bigint, c.source, c.kind, c.columns, c.row_before, c.row_after
                FROM ours JOIN {$this->changes} c USING (xid) ORDER BY ours.last, c.seq
                SQL);
            $rows = self::FIRST;
            do {
                $result = $this->reading->run("FETCH {$rows} FROM changes_of_reading");
                $fetched = pg_fetch_all($result, PGSQL_NUM);
                // A value may be large, so that none is kept in one more form than the next step needs.
                pg_free_result($result);
                $more = count($fetched) === $rows;
                $bytes = 0;
                foreach (array_keys($fetched) as $i) {
                    $row = array_values($fetched[$i]);
                    unset($fetched[$i]);
                    $change = $this->change($row, $before);
                    unset($row);
                    $bytes += $change->bytes;
                    yield $change;
                }
                // However wide the rows are, few bytes are in memory together.
                $rows = (int) max(1, min(self::FETCH, $rows * 8, self::FETCHED_BYTES * $rows / max(1, $bytes)));
            } while ($more);
            $this->reading->commit();
        } finally {
            $this->reading->rollback();
        }
    }

    /** @param  list<string|null>  $row */
    private function change(array $row, Reading $before): StoredChange
    {
        [$unit, $at, $table, $kind, $shape, $old, $new] = $row;
        $columns = $this->columns[(string) $shape] ??= array_values(array_map(static fn (array $c): string => $c[0], json_decode((string) $shape, true, 8, JSON_THROW_ON_ERROR)));
        $rows = [$old === null ? null : RecordText::fields($old), $new === null ? null : RecordText::fields($new)];
        // An alteration between two changes of one transaction is not seen by what looks the columns up once.
        $clear = array_filter($rows, static fn (?array $fields): bool => $fields !== null && count($fields) !== count($columns)) === [];

        // Where commit times are not kept, a change was committed no earlier than the look that did not see it yet.
        return new StoredChange((string) $unit, (string) $table, $clear ? self::kind((string) $kind) : 'unclear', (string) $shape, $columns, $clear ? $rows[0] : null, $clear ? $rows[1] : null, max((int) $at, $this->commitTimes ? 0 : $before->at), strlen((string) $old) + strlen((string) $new));
    }

    /** @return 'insert'|'update'|'delete'|'truncate' */
    private static function kind(string $kind): string
    {
        return match ($kind) {
            'insert', 'update', 'delete' => $kind, default => 'truncate',
        };
    }

    public function forget(Reading $upTo): void
    {
        $this->writing->begin();
        try {
            $this->writing->run("DELETE FROM {$this->changes} WHERE xid < pg_snapshot_xmax($1) AND pg_visible_in_snapshot(xid, $1)", [$upTo->seen]);
            $this->writing->run("DELETE FROM {$this->readings} WHERE number < $1", [$upTo->number]);
            $this->writing->commit();
        } finally {
            $this->writing->rollback();
        }
    }

    public function clock(): ClockOffset
    {
        return (new LoadReader($this->loading))->clock();
    }

    public function chunk(FeedDefinition $definition, Slice $slice, int $rows): LoadChunk
    {
        $chunk = (new LoadReader($this->loading))->chunk($definition, $slice, $rows);

        // Changes are read as other sessions see them, so a snapshot taken later sees them too.
        return new LoadChunk($chunk->rows, $chunk->last, [], null, $chunk->at, $chunk->bytes);
    }

    public function passed(FeedDefinition $definition, array $reached, array $keys): array
    {
        return (new LoadReader($this->loading))->passed($definition, $reached, $keys);
    }

    public function sharing(array $definitions): array
    {
        return (new Identities($this->loading))->sharing($definitions);
    }

    public function identities(array $tables): array
    {
        return (new Identities($this->loading))->of($tables, <<<'SQL'
            SELECT json_build_object('what records its changes', string_agg(t.oid || ' ' || t.xmin, ', ' ORDER BY t.oid)) FROM pg_trigger t WHERE t.tgrelid = c.oid AND t.tgname IN ($2::text, $2::text || '_truncate', $2::text || '_begin')
            SQL, "lighterman_{$this->id}");
    }
}
