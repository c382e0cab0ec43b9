<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Pdo;

use Lighterman\Core\Capture\ColumnFacts;
use Lighterman\Core\Capture\KeyFacts;
use Lighterman\Core\Capture\Outrun;
use Lighterman\Core\Capture\RowCount;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;

/** Looks at a table's rows, so that advice rests on what is there. */
final readonly class PdoFacts
{
    /** Above this many rows only the first of them are looked at. */
    private const COUNTED_UP_TO = 2_000_000;

    private const LOOKED_AT = 10_000;

    /** @param  string  $now  the source's clock as it compares with moments */
    public function __construct(private PdoConnection $connection, private PdoSpelling $spelling, private string $now)
    {
    }

    /** @param  list<string>  $key columns proposed; empty takes the primary key */
    public function facts(TableName $table, Shape $shape, array $key, IndexFacts $known): TableFacts
    {
        $key = $key ?: $shape->key;
        $from = $this->spelling->table($table);
        $counted = ($known->estimatedRows ?? 0) <= self::COUNTED_UP_TO;
        $candidates = array_values(array_filter($shape->columns, static fn (Column $c): bool => $c->type->kind->canBeWatermark()));
        $moments = array_values(array_filter($candidates, static fn (Column $c): bool => $c->type->kind->isMoment()));
        $found = $this->connection->row('SELECT '.implode(', ', $this->counts($candidates)).' FROM '.($counted ? $from : $this->some($from))) ?? [];
        $outrun = $this->outrun($this->some($from), $moments);
        $columns = [];
        foreach ($candidates as $i => $column) {
            $own = array_filter($known->indexes, static fn (array $x): bool => $x['columns'][0] === $column->name);
            $columns[$column->name] = new ColumnFacts(
                $column,
                (int) ($found["nulls{$i}"] ?? 0),
                (int) ($found["ahead{$i}"] ?? 0),
                $own !== [],
                array_filter($own, static fn (array $x): bool => $x['unique'] && count($x['columns']) === 1) !== [],
                in_array($column->name, $known->given, true),
                ($outrun[$column->name][0] ?? 0) > 0 ? new Outrun(...$outrun[$column->name]) : null,
            );
        }
        [$duplicate, $nullable] = $key === $shape->key || array_diff($key, $shape->names()) !== [] ? [null, []] : $this->keyTrouble($counted ? $from : $this->some($from), $shape, $key);
        $rows = $counted ? (int) ($found['rows'] ?? 0) : (int) $known->estimatedRows;

        return new TableFacts($table, $shape, new RowCount($rows, $counted, min($rows, self::LOOKED_AT)), $columns, new KeyFacts($key, $duplicate, $nullable));
    }

    private function some(string $from): string
    {
        return "(SELECT * FROM {$from} LIMIT ".self::LOOKED_AT.') some';
    }

    /**
     * @param  list<Column>  $candidates
     * @return list<string>
     */
    private function counts(array $candidates): array
    {
        $wanted = ['count(*) AS '.$this->spelling->name('rows')];
        foreach ($candidates as $i => $column) {
            $name = $this->spelling->name($column->name);
            $wanted[] = "count(*) - count({$name}) AS nulls{$i}";
            if ($column->type->kind->isMoment()) {
                $wanted[] = "coalesce(sum(CASE WHEN {$name} > {$this->now} THEN 1 ELSE 0 END), 0) AS ahead{$i}";
            }
        }

        return $wanted;
    }

    /**
     * Columns that other moments in the same row are later than: they are set once and do not move with updates.
     *
     * @param  list<Column>  $moments
     * @return array<string, array{int, string}> by column, how many rows outran it and which column most
     */
    private function outrun(string $from, array $moments): array
    {
        $wanted = [];
        foreach ($moments as $i => $a) {
            foreach ($moments as $j => $b) {
                if ($i !== $j) {
                    $wanted["{$i} {$j}"] = 'coalesce(sum(CASE WHEN '.$this->spelling->name($b->name).' > '.$this->spelling->name($a->name)." THEN 1 ELSE 0 END), 0) AS o{$i}_{$j}";
                }
            }
        }
        if ($wanted === []) {
            return [];
        }
        $row = $this->connection->row('SELECT '.implode(', ', $wanted)." FROM {$from}") ?? [];
        $outrun = [];
        foreach (array_keys($wanted) as $pair) {
            [$i, $j] = array_map(intval(...), explode(' ', $pair));
            $count = (int) $row["o{$i}_{$j}"];
            if ($count > ($outrun[$moments[$i]->name][0] ?? 0)) {
                $outrun[$moments[$i]->name] = [$count, $moments[$j]->name];
            }
        }

        return $outrun;
    }

    /**
     * @param  list<string>  $key
     * @return array{array<string, string>|null, list<string>}
     */
    private function keyTrouble(string $from, Shape $shape, array $key): array
    {
        $columns = implode(', ', array_map($this->spelling->name(...), $key));
        $rendered = implode(', ', array_map(fn (string $k): string => $this->spelling->rendered($shape->column($k) ?? throw new \LogicException("No column {$k}.")).' AS '.$this->spelling->name($k), $key));
        $present = implode(' AND ', array_map(fn (string $k): string => $this->spelling->name($k).' IS NOT NULL', $key));
        $duplicate = $this->connection->row("SELECT {$rendered} FROM {$from} WHERE {$present} GROUP BY {$columns} HAVING count(*) > 1 LIMIT 1");
        $missing = $this->connection->row('SELECT '.implode(', ', array_map(fn (string $k): string => 'count(*) - count('.$this->spelling->name($k).') AS '.$this->spelling->name($k), $key))." FROM {$from}") ?? [];

        return [$duplicate === null ? null : array_map(strval(...), $duplicate), array_values(array_filter($key, static fn (string $k): bool => (int) ($missing[$k] ?? 0) > 0))];
    }
}
