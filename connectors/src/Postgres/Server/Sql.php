<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Server;

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
}
