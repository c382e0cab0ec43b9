<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Triggers;

use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Shape\TableName;

/** Describes tables as their changes were written down, anew with every change of their shape. */
final class Relations
{
    /** @var array<string, Relation> by table and shape */
    private array $relations = [];

    /** @var array<string, int> numbers given to the tables */
    private array $ids = [];

    /** @var array<string, Relation> as described last, by table */
    private array $described = [];

    /** @return array{Relation, bool} the table, and whether it has not been described like this last */
    public function of(StoredChange $change): array
    {
        $columns = $change->images->columns;
        $relation = $this->relations["{$change->table} {$change->shape}"] ??= new Relation($this->ids[$change->table] ??= count($this->ids) + 1, TableName::parse($change->table), 'f', $columns, array_fill(0, count($columns), true), self::types($change->shape));
        $isNew = ($this->described[$change->table] ?? null) !== $relation;
        $this->described[$change->table] = $relation;

        return [$relation, $isNew];
    }

    /** @return list<array{int, int}> a number that changes with the shape, where a change of type has to show */
    private static function types(string $shape): array
    {
        return [[crc32($shape), 0]];
    }
}
