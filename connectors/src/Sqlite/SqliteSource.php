<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Sqlite;

use Lighterman\Connectors\Pdo\IndexFacts;
use Lighterman\Connectors\Pdo\PdoConnection;
use Lighterman\Connectors\Pdo\PdoSource;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\SourceMoment;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Guarantee\SourceCapabilities;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Trouble\SystemTrouble;

/** An SQLite database that rows come from. */
final class SqliteSource extends PdoSource
{
    public const SCHEMA = 'main';

    private const OLDEST = '3.38';

    public function __construct(private readonly SqliteSettings $settings)
    {
        parent::__construct($settings->system, $settings->session(), new SqliteSpelling);
    }

    public function check(): array
    {
        try {
            $version = (string) $this->connection->value('SELECT sqlite_version()');
            $tables = count($this->tables());
            $mode = (string) $this->connection->value('PRAGMA journal_mode');
        } catch (SystemTrouble $trouble) {
            return [Finding::failed('File', $trouble->getMessage(), (string) $trouble->remedy())];
        }

        return [
            Finding::passed('File', "{$this->settings->path} is an SQLite database."),
            version_compare($version, self::OLDEST, '>=') ? Finding::passed('Version', "SQLite {$version}.") : Finding::failed('Version', "SQLite {$version} is older than ".self::OLDEST.'.', 'Install a newer php-sqlite3.'),
            $tables > 0 ? Finding::passed('Reading', "{$tables} ".($tables === 1 ? 'table' : 'tables').' can be seen.') : Finding::warned('Reading', 'The database holds no table.', 'Check that this is the right file.'),
            $this->settings->writable()
                ? Finding::passed('Open transactions', 'Whether somebody is writing can be seen, so rows committed late are not missed.')
                : Finding::warned('Open transactions', 'The file may not be written, so it cannot be seen whether somebody is writing at the moment, and triggers cannot be had.', "Give the account that Lighterman runs under the right to write {$this->settings->path} and its folder, or set an overlap on each feed."),
            $mode === 'wal' ? Finding::passed('Journal', 'Readers and writers do not wait for each other (journal mode wal).') : Finding::warned('Journal', "With journal mode {$mode} a long reading holds up those who write.", 'PRAGMA journal_mode = WAL;'),
        ];
    }

    public function capabilities(): SourceCapabilities
    {
        return new SourceCapabilities(
            $this->settings->writable(),
            $this->settings->writable() ? [Capture::Reload, Capture::Watermark, Capture::Trigger] : [Capture::Reload, Capture::Watermark],
            'Here no trigger fires for a row that INSERT OR REPLACE removes because of a unique index over an expression or over part of the rows, unless recursive_triggers is on.',
            'Give Lighterman the right to write the file',
            'A column that is declared COLLATE NOCASE takes abc and ABC for one key.',
        );
    }

    protected function readingSession(): PdoConnection
    {
        return $this->settings->session();
    }

    protected function tables(): array
    {
        return array_map(fn (array $t): array => [new TableName(self::SCHEMA, (string) $t['name']), $this->estimated((string) $t['name']), $this->bytes((string) $t['name']), null],
            $this->connection->rows("SELECT name FROM sqlite_master WHERE type IN ('table', 'view') AND name NOT LIKE 'sqlite|_%' ESCAPE '|' AND name NOT LIKE 'lighterman|_%' ESCAPE '|' ORDER BY name"));
    }

    /** What ANALYZE found, where it was ever run. */
    private function estimated(string $table): ?int
    {
        if ($this->connection->value("SELECT 1 FROM sqlite_master WHERE name = 'sqlite_stat1'") === null) {
            return null;
        }
        $found = $this->connection->value('SELECT stat FROM sqlite_stat1 WHERE tbl = ? LIMIT 1', [$table]);

        return $found === null ? null : (int) $found;
    }

    private function bytes(string $table): int
    {
        try {
            return (int) $this->connection->value('SELECT coalesce(sum(pgsize), 0) FROM dbstat WHERE name IN (SELECT name FROM sqlite_master WHERE tbl_name = ?)', [$table]);
        } catch (SystemTrouble) {
            // Not every build of SQLite can tell.
            return 0;
        }
    }

    /** Where a table begins in the file is given to another one when it is dropped, so that any change of the schema counts. */
    public function identity(TableName $table): ?TableIdentity
    {
        $columns = $this->connection->rows("SELECT m.rootpage AS page, c.name, c.cid, c.type FROM sqlite_master m, pragma_table_xinfo(m.name) c WHERE m.type = 'table' AND m.name = ?", [$table->name]);

        return $columns === [] ? null : new TableIdentity((string) $columns[0]['page'], '', array_map(static fn (array $c): array => [(string) $c['cid'], (string) $c['type']], array_column($columns, null, 'name')),
            recording: ['the file of its database' => $this->settings->file(), 'the schema of its database' => (string) $this->connection->value('PRAGMA schema_version')]);
    }

    protected function shapes(?TableName $only): array
    {
        $shapes = $keys = [];
        foreach ($this->connection->rows("SELECT m.name AS tbl, c.name, c.type, c.\"notnull\" AS required, c.pk, c.hidden FROM sqlite_master m, pragma_table_xinfo(m.name) c WHERE m.type IN ('table', 'view') AND (? = '' OR m.name = ?) AND c.hidden <> 1 ORDER BY m.name, c.cid", $only === null ? ['', ''] : [$only->name, $only->name]) as $row) {
            $table = self::SCHEMA.".{$row['tbl']}";
            $shapes[$table][] = new Column((string) $row['name'], TypeMap::read((string) $row['type']), $row['required'] !== '1' && $row['pk'] === '0', null, in_array($row['hidden'], ['2', '3'], true));
            if ($row['pk'] !== '0') {
                $keys[$table][(int) $row['pk']] = (string) $row['name'];
            }
        }
        foreach ($shapes as $table => $columns) {
            $key = $keys[$table] ?? [];
            ksort($key);
            $shapes[$table] = new Shape($columns, array_values($key));
        }

        return $shapes;
    }

    protected function indexFacts(TableName $table): IndexFacts
    {
        $indexes = [];
        foreach ($this->connection->rows('SELECT l.name AS i, l."unique" AS u, l.partial, x.name AS c FROM pragma_index_list(?) l, pragma_index_info(l.name) x ORDER BY l.name, x.seqno', [$table->name]) as $row) {
            if ($row['partial'] === '0') {
                $indexes[(string) $row['i']] = ['columns' => [...($indexes[(string) $row['i']]['columns'] ?? []), (string) $row['c']], 'unique' => $row['u'] === '1'];
            }
        }
        $shape = $this->shape($table);
        $given = [];
        if (count($shape->key) === 1 && $shape->column($shape->key[0])?->type->kind === TypeKind::Int64) {
            // An integer primary key is the row's own number.
            $indexes[] = ['columns' => $shape->key, 'unique' => true];
            $given = $shape->key;
        }

        return new IndexFacts(array_values($indexes), $given, $this->estimated($table->name));
    }

    protected function now(): string
    {
        return "datetime('now', '+1 minute')";
    }

    /** Only one writes at a time. While the right to write is held nobody has a transaction open that will commit with an earlier time. */
    protected function moment(FeedDefinition $definition): SourceMoment
    {
        $kind = $definition->origin->watermarkColumn() === null ? null : $definition->origin->shape->column($definition->origin->watermarkColumn())?->type->kind;
        $bound = match ($kind) {
            null => 'NULL',
            TypeKind::Timestamp => "strftime('%Y-%m-%d %H:%M:%f', 'now')",
            TypeKind::Date => "date('now')",
            default => 'CAST((SELECT max('.$this->spelling->name((string) $definition->origin->watermarkColumn()).') FROM '.$this->spelling->table($definition->origin->table).' WHERE '.$this->spelling->isValue($definition->origin->shape->column((string) $definition->origin->watermarkColumn())?->type, $this->spelling->name((string) $definition->origin->watermarkColumn())).') AS TEXT)',
        };
        $row = $this->connection->inTransaction($this->settings->writable() && $kind !== null ? 'BEGIN IMMEDIATE' : 'BEGIN', fn (): array => $this->connection->row("SELECT strftime('%Y-%m-%dT%H:%M:%f', 'now') || '000Z' AS clock, {$bound} AS bound") ?? []);
        // Times are often kept in whole seconds, so the second under way stays open.
        if ($kind === TypeKind::Timestamp && $row['bound'] !== null) {
            $row['bound'] = substr($row['bound'], 0, 19);
        }

        return new SourceMoment((string) $row['clock'], null, $row['bound'], (string) $row['clock']);
    }
}
