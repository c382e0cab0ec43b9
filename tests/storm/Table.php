<?php

declare(strict_types=1);

namespace Tests\Storm;

use Random\Engine\Mt19937;
use Random\Randomizer;

/** A table of the source, of a random shape, and the statements that change it. Every change is made from its own number, so that it is the same whenever it is told. */
final class Table
{
    /** Types of columns with an expression over a number `g` that gives values. */
    private const TYPES = [
        'int' => '(g * 7919 % 100000)::int', 'bigint' => '(g::bigint * 6700417)', 'numeric(12,3)' => '(g * 31 % 900000) / 7.0', 'text' => "'v' || md5(g::text)", 'varchar(40)' => "'Zoë \\ ' || E'\\t' || g || chr(10) || 'x'",
        'boolean' => 'g % 3 = 0', 'date' => "date '2020-01-01' + (g % 3000)::int", 'timestamptz' => "timestamptz '2021-03-28 00:30:00+00' + g * interval '61.000001 seconds'", 'timestamp' => "timestamp '2022-10-30' + g * interval '1 hour'",
        'jsonb' => "jsonb_build_object('a', g, 'b', jsonb_build_array(g, null, 'q\"'))", 'int[]' => 'ARRAY[g::int, NULL, 3]', 'bytea' => "decode(md5(g::text), 'hex')", 'uuid' => 'md5(g::text)::uuid', 'double precision' => 'g / 3.0', 'real' => '(g / 7.0)::real', 'time' => "time '00:00' + g * interval '1 second'",
    ];

    /**
     * @param  'int'|'text'|'uuid'|'pair'|'deferrable'|'parted'  $key
     * @param  array<string, string>  $columns  type by name, without key, `big` and `touched`
     * @param  bool  $big  whether it has a text kept apart, whose unchanged value the log does not tell
     * @param  bool  $full  whether the log tells old rows whole
     * @param  bool  $list  whether it has a list that becomes rows
     * @param  string  $owner  a role
     */
    private function __construct(public readonly string $name, public readonly string $key, private array $columns, private readonly bool $big, private readonly bool $full, private readonly bool $list, private readonly string $owner)
    {
    }

    /** @return array<string, mixed> */
    public static function random(Randomizer $random, int $n): array
    {
        $columns = [];
        $types = array_keys(self::TYPES);
        for ($i = 0, $all = $random->getInt(1, 6); $i < $all; $i++) {
            $columns["c{$i}"] = $types[$random->getInt(0, count($types) - 1)];
        }
        $kinds = ['int', 'int', 'text', 'uuid', 'pair', 'deferrable', 'parted'];
        $key = $kinds[$random->getInt(0, count($kinds) - 1)];

        return ['name' => "t{$n}", 'key' => $key, 'columns' => $columns, 'big' => $random->getInt(0, 2) === 0, 'full' => $key === 'deferrable' || $random->getInt(0, 2) === 0, 'list' => $random->getInt(0, 3) === 0];
    }

    /** @param  array<string, mixed>  $told */
    public static function fromArray(array $told, string $owner): self
    {
        return new self($told['name'], $told['key'], $told['columns'], $told['big'], $told['full'], $told['list'] ?? false, $owner);
    }

    /** @return list<string> */
    public function keyColumns(): array
    {
        return $this->key === 'pair' ? ['id', 'part'] : ['id'];
    }

    public function create(): string
    {
        $type = match ($this->key) {
            'text' => 'text', 'uuid' => 'uuid', default => 'int',
        };
        $lines = ["id {$type} NOT NULL", ...($this->key === 'pair' ? ['part text NOT NULL'] : []), ...array_map(static fn (string $n, string $t): string => "{$n} {$t}", array_keys($this->columns), $this->columns), ...($this->big ? ['big text'] : []), ...($this->list ? ['list int[]'] : []), 'touched timestamptz NOT NULL DEFAULT clock_timestamp()'];
        $primary = 'PRIMARY KEY ('.implode(', ', $this->keyColumns()).')'.($this->key === 'deferrable' ? ' DEFERRABLE INITIALLY DEFERRED' : '');
        $sql = ["CREATE TABLE public.{$this->name} (".implode(', ', [...$lines, $primary]).')'.($this->key === 'parted' ? ' PARTITION BY RANGE (id)' : ''), "ALTER TABLE public.{$this->name} OWNER TO {$this->owner}"];
        if ($this->key === 'parted') {
            $sql[] = "CREATE TABLE public.{$this->name}_low PARTITION OF {$this->name} FOR VALUES FROM (MINVALUE) TO (1000)";
            $sql[] = "CREATE TABLE public.{$this->name}_high PARTITION OF {$this->name} FOR VALUES FROM (1000) TO (1000000)";
            array_push($sql, ...array_map(fn (string $part): string => "ALTER TABLE public.{$this->name}_{$part} OWNER TO {$this->owner}", ['low', 'high']));
        } else {
            $sql[] = "CREATE INDEX ON public.{$this->name} (touched)";
        }
        if ($this->big && $this->key !== 'parted') {
            $sql[] = "ALTER TABLE public.{$this->name} ALTER big SET STORAGE EXTERNAL";
        }
        if ($this->full) {
            $sql[] = "ALTER TABLE public.{$this->name} REPLICA IDENTITY FULL";
            foreach ($this->key === 'parted' ? ['low', 'high'] : [] as $part) {
                $sql[] = "ALTER TABLE public.{$this->name}_{$part} REPLICA IDENTITY FULL";
            }
        }

        return implode('; ', $sql);
    }

    /** The key of a number, as columns. */
    private function keyOf(string $g): string
    {
        return match ($this->key) {
            'text' => "'k' || lpad(({$g})::text, 6, '0') || chr((97 + ({$g}) % 26)::int)", 'uuid' => "md5(({$g})::text)::uuid", 'pair' => "({$g})::int / 7, 'p' || (({$g})::int % 7)", default => "({$g})::int",
        };
    }

    /** @param  bool  $update  whether rows that are there already get the new values */
    public function insert(int $from, int $rows, bool $update = true): string
    {
        $columns = [...$this->keyColumns(), ...array_keys($this->columns), ...($this->big ? ['big'] : []), ...($this->list ? ['list'] : [])];
        $values = [$this->keyOf('g'), ...array_map(static fn (string $t): string => 'CASE WHEN g % 11 = 0 THEN NULL ELSE '.self::TYPES[$t].' END', $this->columns), ...($this->big ? ['repeat(md5(g::text), 120 + (g % 50)::int)'] : []), ...($this->list ? ['CASE WHEN g % 9 = 0 THEN NULL ELSE (SELECT coalesce(array_agg(NULLIF(g * x % 7, 3)), ARRAY[]::bigint[])::int[] FROM generate_series(1, abs(g) % 5) x) END'] : [])];
        $set = array_map(static fn (string $c): string => "{$c} = excluded.{$c}", [...array_keys($this->columns), 'touched']);
        $conflict = $this->key === 'deferrable' ? '' : ' ON CONFLICT ('.implode(', ', $this->keyColumns()).') DO '.($update ? 'UPDATE SET '.implode(', ', $set) : 'NOTHING');
        $where = $this->key === 'deferrable' ? " WHERE NOT EXISTS (SELECT 1 FROM {$this->name} o WHERE o.id = g)" : '';

        return "INSERT INTO {$this->name} (".implode(', ', $columns).') SELECT '.implode(', ', $values)." FROM generate_series({$from}, ".($from + $rows - 1).") g{$where}{$conflict}";
    }

    /** Some rows, chosen by a number. */
    private function some(int $n, int $of): string
    {
        return 'abs(hashtext(('.implode(" || '/' || ", $this->keyColumns()).")::text)) % {$of} = ".($n % $of);
    }

    /** Changes of one transaction, without its begin and end. @return list<string> */
    public function changes(int $seed): array
    {
        $random = new Randomizer(new Mt19937($seed));
        $sql = [];
        for ($i = 0, $all = $random->getInt(1, 4); $i < $all; $i++) {
            $n = $random->getInt(0, 5000);
            $sql[] = match ($random->getInt(0, 9)) {
                0, 1, 2 => $this->insert($random->getInt(-20, 3000), $random->getInt(1, 40)),
                3, 4, 5 => $this->update($n, $random->getInt(5, 60)),
                6, 7 => "DELETE FROM {$this->name} WHERE {$this->some($n, $random->getInt(10, 80))}",
                8 => $this->move($n),
                default => $this->update($n, 7).'; '.$this->update($n, 7),
            };
        }

        return $sql;
    }

    public function update(int $n, int $of): string
    {
        $set = ['touched = clock_timestamp()'];
        foreach ($this->columns as $name => $type) {
            if (($n + crc32($name)) % 3 !== 0) {
                $set[] = "{$name} = (SELECT ".self::TYPES[$type]." FROM (SELECT {$n} AS g) s)";
            }
        }
        if ($this->list) {
            $set[] = "list = (SELECT array_agg(x * {$n} % 1000) FROM generate_series(1, ".($n % 4).') x)';
        }
        if ($this->big && $n % 4 === 0) {
            $set[] = "big = repeat('{$n}', 900)";
        }

        return "UPDATE {$this->name} SET ".implode(', ', $set)." WHERE {$this->some($n, $of)}";
    }

    /** Rows that get keys of their own. */
    public function move(int $n): string
    {
        $new = match ($this->key) {
            'text' => "'m' || md5(id || '{$n}')", 'uuid' => "md5(id::text || '{$n}')::uuid", default => 'CASE WHEN id % 2 = 0 THEN -1 ELSE 1 END * (abs(id) % 400000 + 400001 + '.($n % 50000 * 2 + 1).')',
        };
        $few = 'id IN (SELECT id FROM '.$this->name.' ORDER BY md5(id::text || \''.$n.'\') LIMIT '.(1 + $n % 3).')';
        $free = $this->key === 'pair' ? "NOT EXISTS (SELECT 1 FROM {$this->name} o WHERE o.id = {$new} AND o.part = t.part)" : "NOT EXISTS (SELECT 1 FROM {$this->name} o WHERE o.id = {$new})";

        return "UPDATE {$this->name} t SET id = {$new}, touched = clock_timestamp() WHERE {$few} AND {$free}".($this->key === 'parted' ? ' AND id >= 0 AND ('.$new.') BETWEEN -999999 AND 999999' : '');
    }

    /** Two rows that change places, or all that move up by one: needs a key that is checked at the commit only. */
    public function swap(int $n): string
    {
        return $this->key === 'deferrable' ? ($n % 2 === 0 ? "UPDATE {$this->name} SET id = id + 1, touched = clock_timestamp() WHERE id >= ".($n % 300) : "UPDATE {$this->name} SET id = ".(2 * ($n % 300) + 1).' - id, touched = clock_timestamp() WHERE id IN ('.($n % 300).', '.($n % 300 + 1).')') : $this->move($n);
    }

    /** A column that can be altered; null when there is none. */
    public function column(int $n): ?string
    {
        $names = array_keys($this->columns);

        return $names === [] ? null : $names[$n % count($names)];
    }

    public function type(string $column): string
    {
        return $this->columns[$column];
    }

    public function expression(string $type): string
    {
        return self::TYPES[$type];
    }

    public function addColumn(string $name, string $type): void
    {
        $this->columns[$name] = $type;
    }

    public function dropColumn(string $name): void
    {
        unset($this->columns[$name]);
    }
}
