<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Reading;

use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Capture\Window;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Port\Sampling;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\WatermarkPosition;
use Lighterman\Core\Shape\Column;

/** The conditions that pick the rows of a window, of a first load or of a chunk. */
final readonly class Conditions
{
    public function __construct(private Spelling $spelling, private FeedDefinition $definition)
    {
    }

    /** The condition that picks exactly the rows of a window. */
    public function window(Window $window): string
    {
        $column = $this->spelling->name((string) $this->definition->origin->watermarkColumn());
        $parts = [...$this->dated(), ...$this->past($window->from)];
        if ($window->until !== null) {
            $parts[] = $column.($window->withUntil ? ' <= ' : ' < ').$this->typed((string) $this->definition->origin->watermarkColumn(), $window->until);
        }

        return implode(' AND ', $parts);
    }

    /** @return list<string> the condition for rows that have a watermark: what has none is never carried by one */
    private function dated(): array
    {
        $column = $this->definition->origin->watermarkColumn();

        return $column === null ? [] : [$this->spelling->isValue($this->definition->origin->shape->column($column)?->type, $this->spelling->name($column))];
    }

    /** @return list<string> conditions for rows after a position in the order watermark, key */
    private function past(Position $from): array
    {
        if (! $from instanceof WatermarkPosition || $from->watermark === null) {
            return [];
        }
        $column = $this->spelling->name((string) $this->definition->origin->watermarkColumn());
        $value = $this->typed((string) $this->definition->origin->watermarkColumn(), $from->watermark);
        if ($from->key) {
            // The first condition is implied by the second; it lets an index on the watermark alone be used.
            return ["{$column} >= {$value}", $this->ordered([(string) $this->definition->origin->watermarkColumn(), ...$this->definition->origin->key], [$from->watermark, ...$from->key])];
        }
        if ($this->definition->chosen()->overlap() > 0) {
            $value = $this->spelling->less($value, $this->definition->chosen()->overlap(), $this->definition->origin->watermarkMode());
        }

        return [$column.($from->key === [] ? ' > ' : ' >= ').$value];
    }

    /** The condition that picks the rows of a first load still to come. */
    public function load(?Window $window, Position $from): string
    {
        $parts = $this->dated();
        if ($from->loadedTo()) {
            $parts[] = $this->ordered($this->definition->origin->key, $from->loadedTo());
        }
        if ($window !== null) {
            $parts[] = $this->spelling->name((string) $this->definition->origin->watermarkColumn()).($window->withUntil ? ' <= ' : ' < ').$this->typed((string) $this->definition->origin->watermarkColumn(), (string) $window->until);
        }

        return $parts ? implode(' AND ', $parts) : 'true';
    }

    /** The condition that picks the rows of a slice, with the word before it; nothing where that is the whole table. */
    public function slice(Slice $slice): string
    {
        $parts = [
            ...($slice->after === null ? [] : [$this->ordered($this->definition->origin->key, $slice->after)]),
            ...($slice->until === null ? [] : [$this->ordered($this->definition->origin->key, $slice->until, '<=')]),
            ...($slice->keys === null ? [] : [$this->keyIn($slice->keys)]),
            ...($slice->column === null || $slice->from === null ? [] : [$this->spelling->name($slice->column).' >= '.$this->typed($slice->column, $slice->from)]),
            ...$this->dated(),
            ...($slice->column === null || $slice->to === null ? [] : [$this->spelling->name($slice->column).' <= '.$this->typed($slice->column, $slice->to)]),
        ];

        return $parts === [] ? '' : ' WHERE '.implode(' AND ', $parts);
    }

    /** @param  list<list<string>>  $keys */
    private function keyIn(array $keys): string
    {
        $columns = $this->definition->origin->key;
        if (count($columns) === 1) {
            return $keys === [] ? '1 = 0' : $this->spelling->name($columns[0]).' IN ('.implode(', ', array_map(fn (array $k): string => $this->typed($columns[0], $k[0]), $keys)).')';
        }
        $each = array_map(fn (array $k): string => '('.implode(' AND ', array_map(fn (string $c, string $v): string => $this->spelling->name($c).' = '.$this->typed($c, $v), $columns, $k)).')', $keys);

        return $each === [] ? '1 = 0' : '('.implode(' OR ', $each).')';
    }

    /**
     * A query for the numbers of those keys that come no later than another. The first part gives the keys the types and
     * the collations of the table's columns.
     *
     * @param  list<string>  $reached
     * @param  array<int, list<string>>  $keys  by number
     */
    public function passed(array $reached, array $keys): string
    {
        $columns = $this->definition->origin->key;
        $parts = ['SELECT 0 AS lm_number, '.$this->names($columns).' FROM '.$this->spelling->table($this->definition->origin->table).' WHERE 1 = 0'];
        foreach ($keys as $number => $key) {
            $parts[] = "SELECT {$number}, ".implode(', ', array_map($this->typed(...), $columns, $key));
        }

        return 'SELECT lm_number FROM ('.implode(' UNION ALL ', $parts).') lm_keys WHERE NOT ('.$this->ordered($columns, $reached).')';
    }

    public function select(): string
    {
        return 'SELECT '.implode(', ', array_map($this->spelling->rendered(...), $this->definition->carried()->columns)).' FROM '.$this->spelling->table($this->definition->origin->table);
    }

    /** A query for some rows, with the columns under their own names. */
    public function sampling(Sampling $which, int $rows): string
    {
        $columns = implode(', ', array_map(fn (Column $c): string => $this->spelling->rendered($c).' AS '.$this->spelling->name($c->name), $this->definition->carried()->columns));
        $select = "SELECT {$columns} FROM ".$this->spelling->table($this->definition->origin->table);
        $order = fn (string $way): string => $this->definition->origin->key === [] ? '' : ' ORDER BY '.implode(', ', array_map(fn (string $k): string => $this->spelling->name($k).$way, $this->definition->origin->key));

        return match ($which->way) {
            'first' => $select.$order(''),
            'last' => $select.$order(' DESC'),
            'random' => "SELECT * FROM ({$select} LIMIT ".Sampling::AMONG.') AS sampled ORDER BY '.$this->spelling->random(),
            'key' => "{$select} WHERE ".implode(' AND ', array_map(fn (string $c, string $v): string => $this->spelling->name($c).' = '.$this->typed($c, $v), array_keys($which->key), $which->key)),
        }." LIMIT {$rows}";
    }

    /** @param  list<string>  $columns */
    public function names(array $columns): string
    {
        return implode(', ', array_map($this->spelling->name(...), $columns));
    }

    /**
     * @param  list<string>  $columns
     * @param  list<string>  $values
     * @param  '>'|'<='  $operator
     */
    private function ordered(array $columns, array $values, string $operator = '>'): string
    {
        return $this->spelling->ordered(array_map($this->spelling->name(...), $columns), array_map($this->typed(...), $columns, $values), $operator);
    }

    private function typed(string $column, string $value): string
    {
        return $this->spelling->literal($this->definition->origin->shape->column($column)?->type, $value);
    }
}
