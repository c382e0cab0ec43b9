<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Engine;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** The engine's types for ours, and how values go from text into them and back. */
final class TypeMap
{
    /** The most decimal digits that its decimals have. */
    private const DIGITS = 38;

    public static function write(Type $type): string
    {
        return match ($type->kind) {
            TypeKind::Boolean => 'BOOLEAN',
            TypeKind::Int16 => 'SMALLINT',
            TypeKind::Int32 => 'INTEGER',
            TypeKind::Int64 => 'BIGINT',
            TypeKind::Decimal => self::isExact($type) ? "DECIMAL({$type->precision},{$type->scale})" : 'VARCHAR',
            TypeKind::Float32 => 'FLOAT',
            TypeKind::Float64 => 'DOUBLE',
            TypeKind::Bytes => 'BLOB',
            TypeKind::Date => 'DATE',
            TypeKind::Time => 'TIME',
            TypeKind::Timestamp => 'TIMESTAMP',
            TypeKind::TimestampTz => 'TIMESTAMPTZ',
            TypeKind::Uuid => 'UUID',
            TypeKind::Json, TypeKind::JsonBinary => 'JSON',
            TypeKind::List => self::write($type->element ?? Type::of(TypeKind::Text)).'[]',
            TypeKind::Native => $type->isObjectNumber() ? 'UINTEGER' : 'VARCHAR',
            default => 'VARCHAR',
        };
    }

    /** Our type for one of the engine's. What is nested is JSON; what has no counterpart is text. */
    public static function of(string $type): Type
    {
        if (preg_match('/^DECIMAL\((\d+),(\d+)\)$/', $type, $m)) {
            return Type::decimal((int) $m[1], (int) $m[2]);
        }
        if (preg_match('/^(STRUCT|MAP|UNION)\(|\]$/', $type)) {
            return Type::of(TypeKind::JsonBinary);
        }

        return match ($type) {
            'HUGEINT', 'UHUGEINT' => Type::decimal(39, 0), 'UBIGINT' => Type::decimal(20, 0),
            default => Type::of(match ($type) {
                'BOOLEAN' => TypeKind::Boolean,
                'TINYINT', 'UTINYINT', 'SMALLINT' => TypeKind::Int16,
                'USMALLINT', 'INTEGER' => TypeKind::Int32,
                'UINTEGER', 'BIGINT' => TypeKind::Int64,
                'FLOAT' => TypeKind::Float32,
                'DOUBLE' => TypeKind::Float64,
                'BLOB' => TypeKind::Bytes,
                'DATE' => TypeKind::Date,
                'TIME' => TypeKind::Time,
                'TIMESTAMP', 'TIMESTAMP_S', 'TIMESTAMP_MS', 'TIMESTAMP_NS' => TypeKind::Timestamp,
                'TIMESTAMP WITH TIME ZONE' => TypeKind::TimestampTz,
                'UUID' => TypeKind::Uuid,
                'JSON' => TypeKind::JsonBinary,
                default => TypeKind::Text,
            }),
        };
    }

    /** Whether a decimal has a fixed number of digits that fits; others are kept as text, digit by digit. */
    private static function isExact(Type $type): bool
    {
        return $type->precision !== null && $type->precision <= self::DIGITS && ($type->scale ?? 0) >= 0 && ($type->scale ?? 0) <= $type->precision;
    }

    /** An expression of the engine that reads a column of text, as sources write it. */
    public static function read(string $column, Type $type): string
    {
        return self::ofText(Engine::name($column), $type);
    }

    /** A value that a source wrote, as an expression of the engine. */
    public static function value(?string $text, Type $type): string
    {
        return $text === null ? 'CAST(NULL AS '.self::write($type).')' : self::ofText(Engine::literal($text), $type);
    }

    private static function ofText(string $text, Type $type): string
    {
        if ($type->kind === TypeKind::List) {
            // {1,NULL,"a \"b\""}: what is in quotes has marks before quotes and marks.
            $elements = "regexp_extract_all(substr({$text}, 2, length({$text}) - 2), '(?s)\"(?:[^\"\\\\]|\\\\.)*\"|[^\",]+')";
            $element = "CASE WHEN e = 'NULL' THEN NULL WHEN prefix(e, '\"') THEN regexp_replace(substr(e, 2, length(e) - 2), '(?s)\\\\(.)', '\\1', 'g') ELSE e END";

            return "list_transform(list_transform({$elements}, lambda e: {$element}), lambda v: ".self::ofText('v', $type->element ?? Type::of(TypeKind::Text)).')';
        }

        return match (self::write($type)) {
            'VARCHAR', 'JSON' => $text,
            'BLOB' => "from_hex(substr({$text}, 3))",
            'DATE' => "CAST(CASE WHEN suffix({$text}, ' BC') THEN replace({$text}, ' BC', ' (BC)') ELSE {$text} END AS DATE)",
            'TIMESTAMP', 'TIMESTAMPTZ' => "CAST(CASE WHEN suffix({$text}, ' BC') THEN regexp_replace({$text}, '^(\\S+) (.*) BC\$', '\\1 (BC) \\2') ELSE {$text} END AS ".self::write($type).')',
            default => "CAST({$text} AS ".self::write($type).')',
        };
    }

    /** The same for a value of which only the engine's own type is known, as of() gives it: what is nested becomes JSON. */
    public static function told(string $expression, Type $type): string
    {
        return $type->kind === TypeKind::JsonBinary ? "CAST(to_json({$expression}) AS VARCHAR)" : self::text($expression, $type);
    }

    /** An expression of the engine that writes a value as text, as a source would. */
    public static function text(string $expression, Type $type): string
    {
        if ($type->kind === TypeKind::List) {
            $quoted = "CASE WHEN t IS NULL THEN 'NULL' WHEN t = '' OR upper(t) = 'NULL' OR regexp_matches(t, '[{}\",\\\\\\s\\v]') THEN '\"' || regexp_replace(t, '([\"\\\\])', '\\\\\\1', 'g') || '\"' ELSE t END";

            return "('{' || array_to_string(list_transform(list_transform({$expression}, lambda v: ".self::text('v', $type->element ?? Type::of(TypeKind::Text))."), lambda t: {$quoted}), ',') || '}')";
        }

        return match (self::write($type)) {
            'BLOB' => "('\\x' || lower(hex({$expression})))",
            'BOOLEAN' => "CASE WHEN {$expression} THEN 't' WHEN NOT {$expression} THEN 'f' END",
            'FLOAT', 'DOUBLE' => "CASE WHEN isnan({$expression}) THEN 'NaN' WHEN isinf({$expression}) THEN CASE WHEN {$expression} > 0 THEN 'Infinity' ELSE '-Infinity' END ELSE CAST({$expression} AS VARCHAR) END",
            'DATE' => "replace(CAST({$expression} AS VARCHAR), ' (BC)', ' BC')",
            'TIMESTAMP', 'TIMESTAMPTZ' => "CASE WHEN contains(CAST({$expression} AS VARCHAR), ' (BC)') THEN replace(CAST({$expression} AS VARCHAR), ' (BC)', '') || ' BC' ELSE CAST({$expression} AS VARCHAR) END",
            default => "CAST({$expression} AS VARCHAR)",
        };
    }
}
