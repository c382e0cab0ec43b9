<?php

declare(strict_types=1);

namespace Tests\Storm;

use PDO;
use PDOException;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** A table of a source that is not PostgreSQL, of a random shape, with what its own people do to it. */
final class OtherTable
{
    /** How a kind of value is declared in MariaDB and in SQLite. */
    private const KINDS = [
        'int' => ['INT', 'INTEGER'], 'bigint' => ['BIGINT', 'BIGINT'], 'decimal' => ['DECIMAL(12,3)', 'DECIMAL(12,3)'], 'fine' => ['DECIMAL(16,6)', 'DECIMAL(16,6)'], 'text' => ['VARCHAR(80)', 'VARCHAR(80)'], 'long' => ['MEDIUMTEXT', 'TEXT'],
        'double' => ['DOUBLE', 'DOUBLE'], 'day' => ['DATE', 'DATE'], 'moment' => ['DATETIME(6)', 'DATETIME'], 'bytes' => ['BLOB', 'BLOB'], 'flag' => ['BOOLEAN', 'BOOLEAN'],
    ];

    /** What only a source of PostgreSQL knows. */
    private const WITHOUT = ['swap', 'attach', 'detach', 'part', 'truncate_part', 'meddle_publication', 'as_replica', 'drop_slot', 'cut_source', 'alter_and_write', 'revoke_source', 'revoke_replication'];

    /**
     * @param  'int'|'text'|'pair'  $key
     * @param  array<string, string>  $columns  kind by name, without key and `touched`
     * @param  bool  $sqlite  whether it is one of SQLite; otherwise of MariaDB
     */
    private function __construct(public readonly string $name, public readonly string $key, private array $columns, private readonly bool $sqlite, private readonly PDO $source)
    {
    }

    /** @return array<string, mixed> */
    public static function random(Randomizer $random, int $n, string $system): array
    {
        $columns = [];
        for ($i = 0, $all = $random->getInt(1, 6); $i < $all; $i++) {
            $columns["c{$i}"] = array_values(array_diff(array_keys(self::KINDS), ['fine']))[$random->getInt(0, count(self::KINDS) - 2)];
        }

        return ['name' => "t{$n}", 'system' => $system, 'key' => ['int', 'int', 'text', 'pair'][$random->getInt(0, 3)], 'columns' => $columns];
    }

    /** @param  array<string, mixed>  $told */
    public static function fromArray(array $told, PDO $source): self
    {
        return new self($told['name'], $told['key'], $told['columns'], $told['system'] === 'sqlite', $source);
    }

    /** @return list<string> */
    public function keyColumns(): array
    {
        return $this->key === 'pair' ? ['id', 'part'] : ['id'];
    }

    public function create(): void
    {
        $this->run($this->definition());
        $this->run(...$this->insert(1, 700));
    }

    private function definition(): string
    {
        $lines = [($this->key === 'text' ? 'id VARCHAR(40)' : 'id INT').' NOT NULL', ...($this->key === 'pair' ? ['part VARCHAR(10) NOT NULL'] : []), ...array_map(fn (string $c): string => "{$c} {$this->type($c)}", array_keys($this->columns)),
            'touched '.($this->sqlite ? 'DATETIME' : 'DATETIME(6)').' NOT NULL', 'PRIMARY KEY ('.implode(', ', $this->keyColumns()).')', ...($this->sqlite ? [] : ['INDEX (touched)'])];

        return "CREATE TABLE {$this->name} (".implode(', ', $lines).')';
    }

    private function type(string $column): string
    {
        return self::KINDS[$this->columns[$column]][$this->sqlite ? 1 : 0];
    }

    private function now(): string
    {
        return $this->sqlite ? "strftime('%Y-%m-%d %H:%M:%f', 'now')" : 'NOW(6)';
    }

    private function literal(string $kind, int $g): string
    {
        return match ($kind) {
            'int' => (string) ($g * 7919 % 100000), 'bigint' => (string) ($g * 6700417), 'decimal' => sprintf('%.3f', $g / 7), 'fine' => sprintf('%.6f', $g / 7), 'double' => (string) ($g / 3), 'flag' => (string) (abs($g) % 2),
            'text' => $this->source->quote("Zoë \\ \t {$g}\nx '"), 'long' => $this->source->quote(str_repeat(md5((string) $g), abs($g) % 300)), 'bytes' => "x'".md5((string) $g)."00'",
            'day' => "'".gmdate('Y-m-d', 1_600_000_000 + $g * 86400)."'", default => "'".gmdate('Y-m-d H:i:s', 1_600_000_000 + $g * 61).'.000'.($this->sqlite ? '' : '123')."'",
        };
    }

    /** @return list<string> */
    private function insert(int $from, int $rows): array
    {
        $lines = [];
        for ($g = $from; $g < $from + $rows; $g++) {
            $key = match ($this->key) {
                'text' => ["'k".sprintf('%06d', abs($g)).chr(97 + abs($g) % 26)."'"], 'pair' => [(string) intdiv($g, 7), "'p".($g % 7)."'"], default => [(string) $g],
            };
            $lines[] = '('.implode(', ', [...$key, ...array_map(fn (string $kind): string => $g % 11 === 0 ? 'NULL' : $this->literal($kind, $g), array_values($this->columns)), $this->now()]).')';
        }

        $columns = [...array_keys($this->columns), 'touched'];
        // Where a row is replaced, SQLite tells its triggers of the new one only.
        [$verb, $else] = $this->sqlite ? ['INSERT', ' ON CONFLICT ('.implode(', ', $this->keyColumns()).') DO UPDATE SET '.implode(', ', array_map(static fn (string $c): string => "{$c} = excluded.{$c}", $columns))] : ['REPLACE', ''];

        return ["{$verb} INTO {$this->name} (".implode(', ', [...$this->keyColumns(), ...$columns]).') VALUES '.implode(', ', $lines).$else];
    }

    /** Some rows, chosen by a number. */
    private function some(int $n, int $of): string
    {
        return match ($this->key) {
            'text' => $this->sqlite ? "(CAST(substr(id, 2, 6) AS INTEGER)) % {$of} = ".$n % $of : "CRC32(id) % {$of} = ".$n % $of,
            default => "abs(id) % {$of} = ".$n % $of,
        };
    }

    private function update(int $n, int $of): string
    {
        $set = ["touched = {$this->now()}"];
        foreach ($this->columns as $name => $kind) {
            if (($n + crc32($name)) % 3 !== 0) {
                $set[] = "{$name} = ".$this->literal($kind, $n % 100_000);
            }
        }

        return "UPDATE {$this->name} SET ".implode(', ', $set)." WHERE {$this->some($n, $of)}";
    }

    private function move(int $n): string
    {
        return match (true) {
            $this->key === 'text' && $this->sqlite => "UPDATE OR IGNORE {$this->name} SET id = 'm' || id, touched = {$this->now()} WHERE length(id) < 30 AND {$this->some($n, 200)}",
            $this->key === 'text' => "UPDATE IGNORE {$this->name} SET id = CONCAT('m', id), touched = {$this->now()} WHERE length(id) < 30 AND {$this->some($n, 200)}",
            default => "UPDATE {$this->name} SET id = ".($n % 2 === 0 ? '-' : '').'(abs(id) + '.(400_001 + $n).") , touched = {$this->now()} WHERE abs(id) < 100000 AND {$this->some($n, 200)}",
        };
    }

    /** @return list<string> */
    private function changes(int $seed): array
    {
        $random = new Randomizer(new Mt19937($seed));
        $sql = [];
        for ($i = 0, $all = $random->getInt(1, 4); $i < $all; $i++) {
            $n = $random->getInt(0, 5000);
            array_push($sql, ...match ($random->getInt(0, 8)) {
                0, 1, 2 => $this->insert($random->getInt(1, 3000), $random->getInt(1, 40)),
                3, 4, 5 => [$this->update($n, $random->getInt(5, 60))],
                6, 7 => ["DELETE FROM {$this->name} WHERE {$this->some($n, $random->getInt(10, 80))}"],
                default => [$this->move($n)],
            });
        }

        return $sql;
    }

    /** @return bool whether the act is one that is done to the source */
    public function act(string $act, int $n): bool
    {
        $column = array_keys($this->columns)[$n % max(1, count($this->columns))] ?? null;
        if ($column === null && in_array($act, ['rename_and_back', 'rename_column', 'drop_and_add', 'drop_column', 'widen'], true)) {
            return true;
        }
        $alter = "ALTER TABLE {$this->name}";
        match ($act) {
            'change', 'mixed' => $this->transaction($this->changes($n)),
            'burst' => array_map(fn (int $i) => $this->run($this->update($n + $i, 9)), range(1, 25)),
            'truncate' => $this->run($this->sqlite ? "DELETE FROM {$this->name}" : "TRUNCATE {$this->name}"),
            'move' => $this->run($this->move($n)),
            'rollback' => $this->transaction($this->changes($n), 'ROLLBACK'),
            'rename_and_back' => $this->run($this->update($n, 40), "{$alter} RENAME COLUMN {$column} TO passing", "UPDATE {$this->name} SET touched = {$this->now()}, passing = {$this->literal($this->columns[$column], $n)} WHERE {$this->some($n, 17)}", "{$alter} RENAME COLUMN passing TO {$column}", $this->update($n + 1, 40)),
            'rename_column' => $this->renameColumn((string) $column, 'named_'.$n % 100_000, $n),
            'drop_and_add' => $this->run($this->update($n, 40), "{$alter} DROP COLUMN {$column}", "{$alter} ADD COLUMN {$column} {$this->type($column)}", $this->update($n + 1, 40)),
            'add_column' => $this->addColumn('added_'.$n % 100_000, ['int', 'text', 'day', 'decimal'][$n % 4], $n),
            'drop_column' => $this->dropColumn((string) $column),
            'widen' => $this->widen((string) $column, $n),
            'make_again' => $this->makeAgain(),
            'meddle_trigger' => $this->dropTrigger($n),
            default => null,
        };

        return in_array($act, self::WITHOUT, true) || in_array($act, ['change', 'mixed', 'burst', 'truncate', 'move', 'rollback', 'rename_and_back', 'rename_column', 'drop_and_add', 'add_column', 'drop_column', 'widen', 'make_again', 'meddle_trigger'], true);
    }

    private function addColumn(string $name, string $kind, int $n): void
    {
        $default = ['int' => '42', 'text' => "'so'", 'day' => "'2020-01-01'", 'decimal' => '1.5'][$kind];
        if ($this->run("ALTER TABLE {$this->name} ADD COLUMN {$name} ".self::KINDS[$kind][$this->sqlite ? 1 : 0]." DEFAULT {$default}")) {
            $this->columns[$name] = $kind;
            $this->run($this->update($n, 30));
        }
    }

    private function renameColumn(string $column, string $name, int $n): void
    {
        if ($this->run("ALTER TABLE {$this->name} RENAME COLUMN {$column} TO {$name}")) {
            $this->columns[$name] = $this->columns[$column];
            unset($this->columns[$column]);
            $this->run($this->update($n, 30));
        }
    }

    private function dropColumn(string $column): void
    {
        if ($this->run("ALTER TABLE {$this->name} DROP COLUMN {$column}")) {
            unset($this->columns[$column]);
        }
    }

    private function widen(string $column, int $n): void
    {
        $wider = ['int' => 'bigint', 'decimal' => 'fine', 'day' => 'moment'][$this->columns[$column]] ?? null;
        if (! $this->sqlite && $wider !== null && $this->run("ALTER TABLE {$this->name} MODIFY {$column} ".self::KINDS[$wider][0])) {
            $this->columns[$column] = $wider;
            $this->run($this->update($n, 20));
        }
    }

    private function makeAgain(): void
    {
        $columns = implode(', ', [...$this->keyColumns(), ...array_keys($this->columns), 'touched']);
        $this->run("ALTER TABLE {$this->name} RENAME TO {$this->name}_before", $this->definition(), "INSERT INTO {$this->name} ({$columns}) SELECT {$columns} FROM {$this->name}_before WHERE NOT ({$this->some(3, 5)})", "DROP TABLE {$this->name}_before");
    }

    /** Somebody removes one of our triggers, or all of them. */
    private function dropTrigger(int $n): void
    {
        $found = $this->source->query($this->sqlite ? "SELECT name FROM sqlite_master WHERE type = 'trigger' AND tbl_name = '{$this->name}' ORDER BY name" : "SELECT TRIGGER_NAME FROM information_schema.TRIGGERS WHERE EVENT_OBJECT_SCHEMA = DATABASE() AND EVENT_OBJECT_TABLE = '{$this->name}' ORDER BY 1");
        foreach ($found === false ? [] : $found->fetchAll(PDO::FETCH_COLUMN) as $i => $trigger) {
            $n % 4 === 3 || $n % 3 === $i % 3 ? $this->run("DROP TRIGGER {$trigger}") : null;
        }
        $this->run($this->update($n, 11), "DELETE FROM {$this->name} WHERE {$this->some($n, 53)}");
    }

    /** @return bool whether all of it was done; a person's statement may be refused */
    private function run(string ...$statements): bool
    {
        try {
            foreach ($statements as $sql) {
                $this->source->exec($sql);
            }

            return true;
        } catch (PDOException) {
            return false;
        }
    }

    /** @param  list<string>  $statements */
    private function transaction(array $statements, string $end = 'COMMIT'): void
    {
        $this->run('BEGIN', ...$statements, ...[$end]) || $this->run('ROLLBACK');
    }

    /**
     * Its rows in the spelling of `spelt()`.
     *
     * @param  list<string>  $key
     * @param  list<string>  $names
     * @return array<string, string> rows by key
     */
    public function rows(array $key, array $names): array
    {
        $rows = [];
        foreach ($this->source->query("SELECT * FROM {$this->name}")?->fetchAll(PDO::FETCH_ASSOC) ?: [] as $row) {
            $told = array_combine(array_keys($row), array_map(fn (string $c, mixed $v): string => $v === null ? '∅' : match ($this->columns[$c] ?? ($c === 'touched' ? 'moment' : 'text')) {
                'decimal' => number_format((float) $v, 3, '.', ''), 'fine' => number_format((float) $v, 6, '.', ''), 'double' => (string) (float) $v, 'bytes' => bin2hex((string) $v), 'moment' => (new \DateTimeImmutable((string) $v))->format('Y-m-d H:i:s.u'), 'flag' => (string) (int) $v, default => (string) $v,
            }, array_keys($row), $row));
            $rows[implode('|', array_map(static fn (string $c): string => $told[$c], $key))] = md5(implode('|', array_map(static fn (string $c): string => $told[$c] ?? 'absent', $names)));
        }

        return $rows;
    }

    /** @param  array<string, string>  $columns  expressions by column; how the warehouse spells their values, joined */
    public function spelt(array $columns): string
    {
        return "concat_ws('|', ".implode(', ', array_map(fn (string $c, string $sql): string => 'coalesce('.match ($this->columns[$c] ?? ($c === 'touched' ? 'moment' : 'text')) {
            'decimal' => "({$sql})::numeric(12,3)::text", 'fine' => "({$sql})::numeric(16,6)::text", 'bytes' => "encode({$sql}, 'hex')", 'flag' => "({$sql})::int::text", 'moment' => "to_char({$sql}, 'YYYY-MM-DD HH24:MI:SS.US')", default => "({$sql})::text",
        }.", '∅')", array_keys($columns), $columns)).')';
    }
}
