<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Sqlite;

use Lighterman\Connectors\Pdo\Seen;
use Lighterman\Connectors\Pdo\SequencedChanges;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;

/** A change table in SQLite. Only one writes at a time, so that numbers are in the order of the commits and none is missing. */
final class SqliteChangeTable extends SequencedChanges
{
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
        return $this->writing->value("SELECT count(*) FROM sqlite_master WHERE type = 'table' AND name IN (?, ?)", ["lighterman_changes_{$this->id}", "lighterman_readings_{$this->id}"]) === '2';
    }

    public function tableStatements(int $first = 0): array
    {
        return [
            "CREATE TABLE {$this->changes()} (seq INTEGER PRIMARY KEY AUTOINCREMENT, at TEXT NOT NULL, source TEXT NOT NULL, kind TEXT NOT NULL, columns TEXT, row_before TEXT, row_after TEXT)",
            "CREATE TABLE {$this->readings()} (number INTEGER PRIMARY KEY, seen TEXT NOT NULL, at INTEGER NOT NULL)",
            "INSERT INTO {$this->readings()} SELECT {$first}, '".new Seen(0, [])."', {$this->clockExpression()}",
        ];
    }

    public function triggerStatements(TableName $table): array
    {
        return array_values($this->statements($table));
    }

    private function trigger(TableName $table, string $event): string
    {
        return "lighterman_{$this->id}_".hash('xxh32', (string) $table)."_{$event}";
    }

    /** @return array<string, string> by event */
    private function statements(TableName $table): array
    {
        $shape = $this->source->shape($table);
        $statements = [];
        foreach (array_keys(self::EVENTS) as $event) {
            $statements[$event] = $this->statement($table, $shape, $event);
        }

        return $statements;
    }

    private function statement(TableName $table, Shape $shape, string $event): string
    {
        $recorded = $this->recorded($shape, $event);

        return 'CREATE TRIGGER '.$this->words->name($this->trigger($table, $event)).' AFTER '.strtoupper($event).' ON '.$this->words->name($table->name)." BEGIN INSERT INTO {$this->changes()} (at, source, kind, columns, row_before, row_after) VALUES (strftime('%Y-%m-%d %H:%M:%f', 'now'), ".$this->words->text((string) $table).", '{$event}', {$recorded}); END";
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
        foreach (array_keys(self::EVENTS) as $event) {
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
    }

    public function bytes(): int
    {
        // Text and little else: what the columns hold is close to what they take.
        return (int) $this->writing->value("SELECT coalesce(sum(length(columns) + coalesce(length(row_before), 0) + coalesce(length(row_after), 0) + 60), 0) FROM {$this->changes()}");
    }
}
