<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Server;

use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\TypeKind;

/** Pieces of SQL that several parts of the connector share. */
final class Sql
{
    public static function table(TableName $table): string
    {
        return Quoted::name($table->schema).'.'.Quoted::name($table->name);
    }

    /**
     * @param  array<string, string>  $key  columns the shape has, with values as text
     * @return array{string, list<string>} a condition with numbered parameters, and their values
     */
    public static function keyEquals(Shape $shape, array $key): array
    {
        $conditions = [];
        foreach (array_keys($key) as $i => $column) {
            $type = $shape->column($column)?->type;
            // A value cast to the column's type can use the index; text that cannot be cast is said so by the server.
            $conditions[] = Quoted::name($column).($type === null || $type->kind === TypeKind::Enumeration ? '::text = $'.($i + 1) : ' = $'.($i + 1).'::'.TypeMap::write($type));
        }

        return [implode(' AND ', $conditions), array_values($key)];
    }

    /**
     * A statement that writes the rows a query gives, by key, and tells how many were `inserted` and how many `updated`; a
     * row that is there already with the same values is left alone.
     *
     * @param  string  $table  as written in SQL
     * @param  list<string>  $columns  in the order of the query
     * @param  list<string>  $compared  those whose difference makes a row another one
     */
    public static function merge(LandedTable $landed, string $table, array $columns, array $compared, string $select): string
    {
        $set = implode(', ', array_map(static fn (string $c): string => Quoted::name($c).' = excluded.'.Quoted::name($c), array_diff($columns, $landed->key)));
        $conflict = $compared === [] ? 'NOTHING'
            : "UPDATE SET {$set} WHERE (".self::compared($landed, 't', $compared).') IS DISTINCT FROM ('.self::compared($landed, 'excluded', $compared).')';

        return "WITH landed AS (
                INSERT INTO {$table} AS t (".Quoted::names($columns).") {$select}
                ON CONFLICT (".Quoted::names($landed->key).") DO {$conflict} RETURNING t.xmax = 0 AS inserted)
            SELECT count(*) FILTER (WHERE inserted) AS inserted, count(*) FILTER (WHERE NOT inserted) AS updated FROM landed";
    }

    /**
     * Columns as they can be compared; types without equality are compared as text.
     *
     * @param  list<string>  $columns
     */
    public static function compared(LandedTable $landed, string $of, array $columns): string
    {
        return implode(', ', array_map(static function (string $name) use ($landed, $of): string {
            $type = $landed->shape->column($name)?->type;

            return "{$of}.".Quoted::name($name).($type !== null && ! TypeMap::comparable($type) ? '::text' : '');
        }, $columns));
    }
}
