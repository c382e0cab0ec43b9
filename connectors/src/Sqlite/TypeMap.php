<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Sqlite;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/**
 * Declared types of SQLite to ours. A declaration binds a column loosely, if at all; a value that does not fit what is
 * declared is refused by the target with its column named, and never bent.
 *
 * @see https://www.sqlite.org/datatype3.html#determination_of_column_affinity
 */
final class TypeMap
{
    public static function read(string $declared): Type
    {
        $name = strtoupper($declared);

        return Type::of(match (true) {
            str_starts_with($name, 'BOOL') => TypeKind::Boolean,
            str_contains($name, 'TIMESTAMP'), str_contains($name, 'DATETIME') => TypeKind::Timestamp,
            $name === 'DATE' => TypeKind::Date,
            str_contains($name, 'INT') => TypeKind::Int64,
            $name === 'JSON' => TypeKind::Json,
            str_contains($name, 'CHAR'), str_contains($name, 'CLOB'), str_contains($name, 'TEXT') => TypeKind::Text,
            str_contains($name, 'BLOB') => TypeKind::Bytes,
            str_contains($name, 'REAL'), str_contains($name, 'FLOA'), str_contains($name, 'DOUB') => TypeKind::Float64,
            str_contains($name, 'DEC'), str_contains($name, 'NUM') => TypeKind::Decimal,
            default => TypeKind::Text,
        });
    }
}
