<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Server;

use Lighterman\Connectors\Reading\Spelling;
use Lighterman\Core\Capture\WatermarkMode;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

final class PostgresSpelling implements Spelling
{
    public function isValue(?Type $type, string $column): string
    {
        return "{$column} IS NOT NULL";
    }

    public function random(): string
    {
        return 'random()';
    }

    public function name(string $name): string
    {
        return Quoted::name($name);
    }

    public function table(TableName $table): string
    {
        return Sql::table($table);
    }

    public function rendered(Column $column): string
    {
        // Sessions are set to render without loss.
        return Quoted::name($column->name);
    }

    public function literal(?Type $type, string $value): string
    {
        return Quoted::literal($value).($type === null || $type->kind === TypeKind::Enumeration ? '' : '::'.TypeMap::write($type));
    }

    public function less(string $literal, int $overlap, ?WatermarkMode $mode): string
    {
        return $literal.($mode === WatermarkMode::Moment ? " - interval '{$overlap} seconds'" : " - {$overlap}");
    }

    public function ordered(array $columns, array $values, string $operator): string
    {
        return count($columns) === 1
            ? "{$columns[0]} {$operator} {$values[0]}"
            : '('.implode(', ', $columns).") {$operator} (".implode(', ', $values).')';
    }
}
