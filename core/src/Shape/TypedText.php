<?php

declare(strict_types=1);

namespace Lighterman\Core\Shape;

use Brick\Math\BigInteger;

/** Whether a text that somebody typed is a value of a type, as far as that can be told without asking the system that has the type. */
final class TypedText
{
    private const DATE = '(\d{4,6})-(\d{2})-(\d{2})';

    public static function accepts(Type $type, string $value): bool
    {
        return match ($type->kind) {
            TypeKind::Int16 => self::integer($value, 16),
            TypeKind::Int32 => self::integer($value, 32),
            TypeKind::Int64 => self::integer($value, 64),
            TypeKind::Decimal, TypeKind::Float32, TypeKind::Float64 => (bool) preg_match('/^([+-]?(\d+(\.\d*)?|\.\d+)(e[+-]?\d{1,3})?|NaN|[+-]?Infinity)$/Di', $value),
            TypeKind::Boolean => in_array(strtolower($value), ['t', 'f', 'true', 'false', '1', '0'], true),
            TypeKind::Date => preg_match('/^'.self::DATE.'( BC)?$/D', $value, $m) && checkdate((int) $m[2], (int) $m[3], max(1, (int) $m[1])) || self::isEndless($value),
            TypeKind::Timestamp, TypeKind::TimestampTz => preg_match('/^'.self::DATE.'([ T]([01]\d|2[0-4]):[0-5]\d(:[0-5]\d(\.\d{1,9})?)?)?\s?(Z|[+-]\d{2}(:?\d{2})?)?( BC)?$/D', $value, $m) && checkdate((int) $m[2], (int) $m[3], max(1, (int) $m[1])) || self::isEndless($value),
            TypeKind::Uuid => (bool) preg_match('/^[0-9a-f]{8}(-?[0-9a-f]{4}){3}-?[0-9a-f]{12}$/Di', $value),
            TypeKind::Enumeration => $type->labels === [] || in_array($value, $type->labels, true),
            default => ! str_contains($value, "\0"),
        };
    }

    /** A value of the type, to show how one is written. */
    public static function example(Type $type): string
    {
        return match ($type->kind) {
            TypeKind::Int16, TypeKind::Int32, TypeKind::Int64 => '1200',
            TypeKind::Decimal, TypeKind::Float32, TypeKind::Float64 => '12.5',
            TypeKind::Boolean => 'true',
            TypeKind::Date => '2026-11-28',
            TypeKind::Timestamp => '2026-11-28 14:05:00',
            TypeKind::TimestampTz => '2026-11-28 14:05:00+00',
            TypeKind::Uuid => '7d4f8a52-0c1e-4b57-9f5e-2a6d1c3b9e80',
            TypeKind::Enumeration => $type->labels[0] ?? 'a label of it',
            default => 'any text',
        };
    }

    private static function integer(string $value, int $bits): bool
    {
        $most = BigInteger::of(2)->power($bits - 1);

        return preg_match('/^[+-]?\d{1,40}$/D', $value) && BigInteger::of($value)->isGreaterThanOrEqualTo($most->negated()) && BigInteger::of($value)->isLessThan($most);
    }

    private static function isEndless(string $value): bool
    {
        return in_array($value, ['infinity', '-infinity'], true);
    }
}
