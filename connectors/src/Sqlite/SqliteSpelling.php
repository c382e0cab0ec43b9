<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Sqlite;

use Lighterman\Connectors\Pdo\PdoSpelling;
use Lighterman\Core\Capture\WatermarkMode;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

final class SqliteSpelling extends PdoSpelling
{
    public function random(): string
    {
        return 'random()';
    }

    public function name(string $name): string
    {
        // What stands in double quotes and is no column is taken for a text here, so that a column that is gone would read as its name.
        return '`'.str_replace('`', '``', $name).'`';
    }

    public function render(Column $column, string $value): string
    {
        return match ($column->type->kind) {
            TypeKind::Bytes => "CASE WHEN {$value} IS NULL THEN NULL ELSE '\\x' || hex({$value}) END",
            // Fifteen digits are what was written where they give the same double back; seventeen give every double back.
            TypeKind::Float64, TypeKind::Decimal => "CASE WHEN typeof({$value}) = 'real' AND CAST(CAST({$value} AS TEXT) AS REAL) <> {$value} THEN printf('%!.17g', {$value}) ELSE CAST({$value} AS TEXT) END",
            default => "CAST({$value} AS TEXT)",
        };
    }

    public function literal(?Type $type, string $value): string
    {
        return match ($type?->kind) {
            TypeKind::Int64, TypeKind::Decimal, TypeKind::Float64, TypeKind::Boolean => is_numeric($value) ? $value : $this->text($value),
            TypeKind::Bytes => preg_match('/^\\\\x([0-9A-Fa-f]*)$/', $value, $m) ? "x'{$m[1]}'" : $this->text($value),
            default => $this->text($value),
        };
    }

    /** A column of numbers may hold texts all the same, which come after every number. */
    public function isValue(?Type $type, string $column): string
    {
        return $type?->kind->isNumeric() ? "typeof({$column}) IN ('integer', 'real')" : "{$column} IS NOT NULL";
    }

    public function less(string $literal, int $overlap, ?WatermarkMode $mode): string
    {
        return match (true) {
            $mode === WatermarkMode::Moment => "strftime('%Y-%m-%d %H:%M:%f', {$literal}, '-{$overlap} seconds')",
            str_starts_with($literal, "'") => "date({$literal}, '-{$overlap} days')",
            default => "({$literal} - {$overlap})",
        };
    }
}
