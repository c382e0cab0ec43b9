<?php

declare(strict_types=1);

namespace Lighterman\Connectors\MariaDb;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/**
 * MariaDB's types to ours. Unsigned integers take the next wider type, so that all their values fit.
 *
 * @see https://mariadb.com/kb/en/data-types/
 */
final class TypeMap
{
    /** @param  array<string, string|null>  $column  as information_schema.COLUMNS has it, by lower-case names */
    public static function read(array $column): Type
    {
        $name = strtolower((string) $column['data_type']);
        $written = strtolower((string) $column['column_type']);
        $unsigned = str_contains($written, 'unsigned');
        $length = $column['character_maximum_length'] === null ? null : (int) $column['character_maximum_length'];
        $digits = (int) ($column['datetime_precision'] ?? 0);

        return match ($name) {
            'tinyint', 'year' => Type::of(TypeKind::Int16),
            'smallint' => Type::of($unsigned ? TypeKind::Int32 : TypeKind::Int16),
            'mediumint' => Type::of(TypeKind::Int32),
            'int' => Type::of($unsigned ? TypeKind::Int64 : TypeKind::Int32),
            'bigint' => $unsigned ? Type::decimal(20, 0) : Type::of(TypeKind::Int64),
            'bit' => match (true) {
                (int) $column['numeric_precision'] === 1 => Type::of(TypeKind::Boolean),
                (int) $column['numeric_precision'] < 64 => Type::of(TypeKind::Int64),
                default => Type::decimal(20, 0),
            },
            'decimal' => Type::decimal((int) $column['numeric_precision'], (int) $column['numeric_scale']),
            'float' => Type::of(TypeKind::Float32),
            'double' => Type::of(TypeKind::Float64),
            'char' => Type::sized(TypeKind::Varchar, $length),
            'varchar' => Type::sized(TypeKind::Varchar, $length),
            // Kept as JSON where the column checks that it is.
            'tinytext', 'text', 'mediumtext', 'longtext' => Type::of($column['is_json'] === '1' ? TypeKind::Json : TypeKind::Text),
            'set' => Type::of(TypeKind::Text),
            'enum' => Type::enumeration((string) $column['column_name'], self::labels((string) $column['column_type'])),
            'binary', 'varbinary', 'tinyblob', 'blob', 'mediumblob', 'longblob' => Type::of(TypeKind::Bytes),
            'date' => Type::of(TypeKind::Date),
            // A time here goes from -838 to 838 hours: it is a span.
            'time' => Type::of(TypeKind::Interval),
            'datetime' => Type::sized(TypeKind::Timestamp, $digits),
            'timestamp' => Type::sized(TypeKind::TimestampTz, $digits),
            'uuid' => Type::of(TypeKind::Uuid),
            'inet4', 'inet6' => Type::of(TypeKind::Text),
            default => Type::unmappable($written),
        };
    }

    /** @return list<string> */
    private static function labels(string $written): array
    {
        preg_match_all("/'((?:[^']|'')*)'/", $written, $found);

        return array_map(static fn (string $l): string => str_replace("''", "'", $l), $found[1]);
    }
}
