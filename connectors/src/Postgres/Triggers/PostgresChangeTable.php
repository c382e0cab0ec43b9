<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Triggers;

use Generator;
use Lighterman\Connectors\Postgres\Log\LoadReader;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Identities;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Connectors\Triggers\ChangeTable;
use Lighterman\Connectors\Triggers\Images;
use Lighterman\Connectors\Triggers\Reading;
use Lighterman\Connectors\Triggers\StoredChange;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Port\LoadChunk;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\StatementTrouble;
use Lighterman\Core\Trouble\StreamTrouble;
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

    private readonly Connection $writing;

    private readonly Connection $reading;

    private readonly Connection $loading;

    private readonly RecordingTriggers $triggers;

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
        $this->triggers = new RecordingTriggers($this->writing, $id, $this->changes);
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
        return $this->triggers->statements($table);
    }

    public function amiss(array $tables): array
    {
        return $this->triggers->amiss($tables);
    }

    public function install(TableName $table): void
    {
        try {
            $this->inOneTransaction(["SET LOCAL lock_timeout = '5s'", $this->triggers->dropping($table), ...$this->triggers->statements($table)]);
        } catch (SystemTrouble $trouble) {
            throw $trouble->reason !== Reason::Busy ? $trouble : StatementTrouble::waitsForTransactions($this->settings->system, "{$this->settings->system}: triggers can be put on {$table} only at a moment when no transaction that wrote to it is open; there was none for 5 s.", 'Lighterman tries again. If it stays so, have the transaction ended that holds the table.');
        }
    }

    public function uninstall(TableName $table): void
    {
        $this->inOneTransaction(["SET LOCAL lock_timeout = '5s'", $this->triggers->dropping($table)]);
    }

    public function drop(): void
    {
        $this->inOneTransaction([
            "SET LOCAL lock_timeout = '10s'",
            ...$this->triggers->droppingAll(),
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
            ?? throw StreamTrouble::changesGone($this->settings->system, "{$this->settings->system}: the readings of {$this->name()} are gone.");
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
        return new StoredChange((string) $unit, (string) $table, $clear ? self::kind((string) $kind) : 'unclear', (string) $shape, new Images($columns, $clear ? $rows[0] : null, $clear ? $rows[1] : null), max((int) $at, $this->commitTimes ? 0 : $before->at), strlen((string) $old) + strlen((string) $new));
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
