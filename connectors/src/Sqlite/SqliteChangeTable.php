<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Sqlite;

use Lighterman\Connectors\Pdo\Seen;
use Lighterman\Connectors\Pdo\SequencedChanges;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use LogicException;

/** A change table in SQLite. Only one writes at a time, so that numbers are in the order of the commits and none is missing. */
final class SqliteChangeTable extends SequencedChanges
{
    private const NOW = "strftime('%Y-%m-%d %H:%M:%f', 'now')";

    private const BEFORE = 'before_';

    private readonly SqliteSpelling $words;

    private readonly SqliteSource $source;

    public function __construct(private readonly SqliteSettings $settings, string $id)
    {
        $this->words = new SqliteSpelling;
        $this->source = new SqliteSource($settings);
        parent::__construct($settings->system, $settings->session(), $settings->session(), $settings->session(), $this->words, $id);
    }

    public function name(): string
    {
        return "lighterman_changes_{$this->id}";
    }

    protected function changes(): string
    {
        return $this->words->name("lighterman_changes_{$this->id}");
    }

    /** Rows that the statement under way replaces, for no trigger fires for those: they are noted before it, and deleted once it has happened. */
    private function replaced(): string
    {
        return $this->words->name("lighterman_replaced_{$this->id}");
    }

    protected function readings(): string
    {
        return $this->words->name("lighterman_readings_{$this->id}");
    }

    protected function beginSnapshot(): string
    {
        return 'BEGIN';
    }

    protected function clockExpression(): string
    {
        return self::microseconds("strftime('%Y-%m-%d %H:%M:%f', 'now')");
    }

    protected function timeExpression(): string
    {
        return self::microseconds('at');
    }

    private static function microseconds(string $time): string
    {
        return "(CAST(strftime('%s', {$time}) AS INTEGER) * 1000000 + CAST(substr({$time}, 21, 3) AS INTEGER) * 1000)";
    }

    protected function isHeld(int $from, int $to): bool
    {
        return false;
    }

    public function findings(array $tables): array
    {
        $findings = [$this->settings->writable()
            ? Finding::passed('Change table', $this->exists() ? 'It is there.' : 'It will be made in the database.')
            : Finding::failed('Change table', "{$this->settings->path} may not be written.", 'Give the account that Lighterman runs under the right to write the file and its folder.')];
        foreach ($tables as $table) {
            $kind = $this->writing->value('SELECT type FROM sqlite_master WHERE name = ?', [$table->name]);
            $findings[] = match (true) {
                $kind === null => Finding::noTable($table),
                $kind !== 'table' => Finding::failed((string) $table, "{$table} is not a table that triggers can be put on.", 'Use capture reload or watermark for it.'),
                $this->exists() && $this->amiss([$table]) === [] => Finding::passed((string) $table, 'Its triggers are in place.'),
                default => Finding::passed((string) $table, 'Triggers will be put on it.'),
            };
        }

        return $findings;
    }

    public function exists(): bool
    {
        return $this->hasTable("lighterman_changes_{$this->id}") && $this->hasTable("lighterman_readings_{$this->id}");
    }

    private function hasTable(string $name): bool
    {
        return $this->writing->value("SELECT 1 FROM sqlite_master WHERE type = 'table' AND name = ?", [$name]) !== null;
    }

    public function tableStatements(int $first = 0): array
    {
        return [
            "CREATE TABLE {$this->changes()} (seq INTEGER PRIMARY KEY AUTOINCREMENT, at TEXT NOT NULL, source TEXT NOT NULL, kind TEXT NOT NULL, columns TEXT, row_before TEXT, row_after TEXT)",
            "CREATE TABLE {$this->readings()} (number INTEGER PRIMARY KEY, seen TEXT NOT NULL, at INTEGER NOT NULL)",
            $this->replacedTable(),
            "INSERT INTO {$this->readings()} SELECT {$first}, '".new Seen(0, [])."', {$this->clockExpression()}",
        ];
    }

    private function replacedTable(): string
    {
        return "CREATE TABLE IF NOT EXISTS {$this->replaced()} (row_key TEXT NOT NULL, row_before TEXT NOT NULL)";
    }

    public function triggerStatements(TableName $table): array
    {
        // An installation from before there were replaced rows has no table for them yet.
        return [$this->replacedTable(), ...array_values($this->statements($table))];
    }

    private function trigger(TableName $table, string $event): string
    {
        return "lighterman_{$this->id}_".hash('xxh32', (string) $table)."_{$event}";
    }

    /** @return array<string, string> by event, and by the event that rows are noted before */
    private function statements(TableName $table): array
    {
        $shape = $this->source->shape($table);
        $conflicts = $this->conflicts($table, $shape);
        $statements = [];
        foreach (array_keys(self::EVENTS) as $event) {
            $statements += $conflicts === null || $event === 'delete' ? [] : [self::BEFORE.$event => $this->onEvent($table, self::BEFORE.$event, "BEFORE {$event}", ["DELETE FROM {$this->replaced()}", "INSERT INTO {$this->replaced()} (row_key, row_before) SELECT {$this->rowKey($shape, 't')}, {$this->image($shape, 't')} FROM {$this->words->name($table->name)} t WHERE {$conflicts}"])];
            $recorded = $this->record($table, 'VALUES ('.self::NOW.", {$this->words->text((string) $table)}, '{$event}', {$this->recorded($shape, $event)})");
            $statements[$event] = $this->onEvent($table, $event, "AFTER {$event}", $conflicts === null ? [$recorded] : [...$this->settled($table, $shape, $event), $recorded]);
        }

        return $statements;
    }

    /** @param  list<string>  $body */
    private function onEvent(TableName $table, string $event, string $when, array $body): string
    {
        return "CREATE TRIGGER {$this->words->name($this->trigger($table, $event))} ".strtoupper($when)." ON {$this->words->name($table->name)} BEGIN ".implode('; ', $body).'; END';
    }

    private function record(TableName $table, string $values): string
    {
        return "INSERT INTO {$this->changes()} (at, source, kind, columns, row_before, row_after) {$values}";
    }

    /**
     * What becomes of the rows that were noted before: they are gone by now, but for those that this event itself tells of.
     *
     * @return list<string>
     */
    private function settled(TableName $table, Shape $shape, string $event): array
    {
        $told = array_map(fn (string $row): string => $this->rowKey($shape, $row), array_values(array_filter(self::EVENTS[$event])));
        if ($event === 'delete') {
            // Where recursive_triggers is on, this one fires for them too.
            return ["DELETE FROM {$this->replaced()} WHERE row_key IN (".implode(', ', $told).')'];
        }

        return [$this->record($table, 'SELECT '.self::NOW.", {$this->words->text((string) $table)}, 'delete', {$this->columnNames($shape)}, row_before, NULL FROM {$this->replaced()} WHERE row_key NOT IN (".implode(', ', $told).')'), "DELETE FROM {$this->replaced()}"];
    }

    /** What tells a row from all others, byte by byte. */
    private function rowKey(Shape $shape, string $row): string
    {
        $parts = array_map(fn (string $c): string => $this->words->render($shape->column($c) ?? throw new LogicException("The key has {$c}, which is no column."), "{$row}.{$this->words->name($c)}"), $shape->key);

        return 'json_array('.implode(', ', $parts ?: ["{$row}._rowid_"]).')';
    }

    /**
     * When a row of the table has to give way to the one that is written.
     *
     * @return string|null a condition on `t` and NEW; null if only the row with the same key can
     */
    private function conflicts(TableName $table, Shape $shape): ?string
    {
        $indexes = [];
        foreach ($this->writing->rows('SELECT l.name AS i, l.partial, x.name AS c, x.cid, x.coll FROM pragma_index_list(?) l, pragma_index_xinfo(l.name) x WHERE l."unique" AND x.key ORDER BY l.name, x.seqno', [$table->name]) as $row) {
            $indexes[(string) $row['i']][] = $row;
        }
        // Of a column without a type, 2 and 2.0 are the same to an index and two to whoever reads them.
        $exact = $this->writing->value("SELECT 1 FROM pragma_table_xinfo(?) WHERE pk > 0 AND (type = '' OR type LIKE '%BLOB%')", [$table->name]) === null;
        $conditions = [];
        foreach ($indexes as $columns) {
            // What such an index is over is not told, so those are named among what may be missed.
            $plain = array_filter($columns, static fn (array $c): bool => $c['partial'] === '1' || (int) $c['cid'] < 0) === [];
            $isKey = $exact && array_column($columns, 'c') === $shape->key && array_unique(array_column($columns, 'coll')) === ['BINARY'];
            if ($plain && ! $isKey) {
                $conditions[] = '('.implode(' AND ', array_map(fn (array $c): string => "t.{$this->words->name((string) $c['c'])} = NEW.{$this->words->name((string) $c['c'])} COLLATE {$this->words->name((string) $c['coll'])}", $columns)).')';
            }
        }

        return $conditions === [] ? null : implode(' OR ', $conditions);
    }

    public function amiss(array $tables): array
    {
        $amiss = [];
        foreach ($tables as $table) {
            if (self::shapeIfThere(fn (): Shape => $this->source->shape($table)) === null) {
                $amiss[(string) $table] = 'the table is gone';

                continue;
            }
            $there = array_column($this->writing->rows("SELECT name, sql FROM sqlite_master WHERE type = 'trigger' AND tbl_name = ?", [$table->name]), 'sql', 'name');
            if (! $this->hasTable("lighterman_replaced_{$this->id}") && isset($this->statements($table)[self::BEFORE.'insert'])) {
                $amiss[(string) $table] = 'what the triggers need was removed';
            }
            foreach ($this->statements($table) as $event => $wanted) {
                $made = $there[$this->trigger($table, $event)] ?? null;
                $why = $made === null ? 'a trigger was missing' : ($made !== $wanted ? 'the triggers were older than the table\'s shape' : null);
                if ($why !== null) {
                    $amiss[(string) $table] ??= $why;
                }
            }
        }

        return $amiss;
    }

    public function install(TableName $table): void
    {
        $this->writing->inTransaction('BEGIN IMMEDIATE', function () use ($table): void {
            parent::install($table);
        });
    }

    public function uninstall(TableName $table): void
    {
        foreach ([...array_keys(self::EVENTS), self::BEFORE.'insert', self::BEFORE.'update'] as $event) {
            $this->writing->run('DROP TRIGGER IF EXISTS '.$this->words->name($this->trigger($table, $event)));
        }
    }

    public function drop(): void
    {
        foreach ($this->writing->rows("SELECT name FROM sqlite_master WHERE type = 'trigger' AND name LIKE ? ESCAPE '|'", ["lighterman|_{$this->id}|_%"]) as $row) {
            $this->writing->run('DROP TRIGGER IF EXISTS '.$this->words->name((string) $row['name']));
        }
        $this->writing->run("DROP TABLE IF EXISTS {$this->changes()}");
        $this->writing->run("DROP TABLE IF EXISTS {$this->readings()}");
        $this->writing->run("DROP TABLE IF EXISTS {$this->replaced()}");
    }

    public function bytes(): int
    {
        // Text and little else: what the columns hold is close to what they take.
        return (int) $this->writing->value("SELECT coalesce(sum(length(columns) + coalesce(length(row_before), 0) + coalesce(length(row_after), 0) + 60), 0) FROM {$this->changes()}");
    }
}
