<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Expression;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** What kind of value a part of an expression has. */
enum Kind: string
{
    case Number = 'number';
    case Real = 'inexact number';
    case Text = 'text';
    case Flag = 'true or false';
    case Date = 'date';
    case Moment = 'moment';
    case Nested = 'nested value';
    /** The literal null, which is of every kind. */
    case None = 'null';

    public static function of(Type $type): self
    {
        return match ($type->kind) {
            TypeKind::Int16, TypeKind::Int32, TypeKind::Int64, TypeKind::Decimal => self::Number,
            TypeKind::Float32, TypeKind::Float64 => self::Real,
            TypeKind::Boolean => self::Flag,
            TypeKind::Date => self::Date,
            TypeKind::Timestamp, TypeKind::TimestampTz => self::Moment,
            TypeKind::Json, TypeKind::JsonBinary => self::Nested,
            default => self::Text,
        };
    }

    public function isNumeric(): bool
    {
        return $this === self::Number || $this === self::Real;
    }

    public function isTime(): bool
    {
        return $this === self::Date || $this === self::Moment;
    }

    /** The type a column gets that nobody gave one. */
    public function type(): Type
    {
        return match ($this) {
            self::Number => Type::decimal(null, null),
            self::Real => Type::of(TypeKind::Float64),
            self::Flag => Type::of(TypeKind::Boolean),
            self::Date => Type::of(TypeKind::Date),
            self::Moment => Type::of(TypeKind::TimestampTz),
            self::Nested => Type::of(TypeKind::JsonBinary),
            default => Type::of(TypeKind::Text),
        };
    }
}
