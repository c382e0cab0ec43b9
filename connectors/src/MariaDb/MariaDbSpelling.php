<?php

declare(strict_types=1);

namespace Lighterman\Connectors\MariaDb;

use Lighterman\Connectors\Pdo\PdoSpelling;
use Lighterman\Core\Capture\WatermarkMode;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** MariaDB without backslash escapes, as the sessions of this connector are set. */
final class MariaDbSpelling extends PdoSpelling
{
    public function random(): string
    {
        return 'rand()';
    }

    public function name(string $name): string
    {
        return '`'.str_replace('`', '``', $name).'`';
    }

    public function render(Column $column, string $value): string
    {
        return match ($column->type->kind) {
            // Written as a double it has all its digits; as a float only six.
            TypeKind::Float32 => "CAST(CAST({$value} AS DOUBLE) AS CHAR)",
            TypeKind::Bytes => "CONCAT('\\x', HEX({$value}))",
            // From the number of seconds, since the zone of whoever writes decides how a timestamp looks in a trigger.
            TypeKind::TimestampTz => "CONCAT(CAST(TIMESTAMP('1970-01-01 00:00:00.000000') + INTERVAL UNIX_TIMESTAMP({$value}) SECOND AS CHAR), '+00')",
            TypeKind::Boolean, TypeKind::Int16, TypeKind::Int32, TypeKind::Int64, TypeKind::Decimal => "CAST({$value} + 0 AS CHAR)",
            default => "CAST({$value} AS CHAR)",
        };
    }

    public function literal(?Type $type, string $value): string
    {
        return match ($type?->kind) {
            TypeKind::Int16, TypeKind::Int32, TypeKind::Int64, TypeKind::Decimal, TypeKind::Float32, TypeKind::Float64, TypeKind::Boolean => is_numeric($value) ? $value : $this->text($value),
            TypeKind::Bytes => preg_match('/^\\\\x([0-9A-Fa-f]*)$/', $value, $m) ? "x'{$m[1]}'" : $this->text($value),
            TypeKind::TimestampTz => 'TIMESTAMP('.$this->text((string) preg_replace('/(Z|\+00(:00)?)$/', '', $value)).')',
            TypeKind::Timestamp, TypeKind::Date => 'TIMESTAMP('.$this->text($value).')',
            default => $this->text($value),
        };
    }

    public function less(string $literal, int $overlap, ?WatermarkMode $mode): string
    {
        return $mode === WatermarkMode::Moment ? "({$literal} - INTERVAL {$overlap} SECOND)" : "({$literal} - ".($mode === WatermarkMode::Open && str_starts_with($literal, 'TIMESTAMP') ? "INTERVAL {$overlap} DAY" : (string) $overlap).')';
    }
}
