<?php

declare(strict_types=1);

namespace Lighterman\Core\Shape;

/** The kinds of value a column can hold, independent of any one system. */
enum TypeKind: string
{
    case Boolean = 'boolean';
    case Int16 = 'int16';
    case Int32 = 'int32';
    case Int64 = 'int64';
    case Decimal = 'decimal';
    case Float32 = 'float32';
    case Float64 = 'float64';
    case Text = 'text';
    case Varchar = 'varchar';
    case Char = 'char';
    case Bytes = 'bytes';
    case Date = 'date';
    case Time = 'time';
    case TimeTz = 'timetz';
    case Timestamp = 'timestamp';
    case TimestampTz = 'timestamptz';
    case Interval = 'interval';
    case Uuid = 'uuid';
    case Json = 'json';
    case JsonBinary = 'jsonb';
    case Enumeration = 'enum';
    case List = 'list';
    /** A built-in type of one kind of system that has no general counterpart; carried only to the same kind of system. */
    case Native = 'native';
    /** A type that cannot be carried; the name says which. */
    case Unmappable = 'unmappable';

    public function isText(): bool
    {
        return in_array($this, [self::Text, self::Varchar, self::Char, self::Enumeration], true);
    }

    public function isInteger(): bool
    {
        return in_array($this, [self::Int16, self::Int32, self::Int64], true);
    }

    public function isNumeric(): bool
    {
        return $this->isInteger() || in_array($this, [self::Decimal, self::Float32, self::Float64], true);
    }

    public function isMoment(): bool
    {
        return in_array($this, [self::Timestamp, self::TimestampTz], true);
    }

    /** Whether values of this kind only ever grow in an order that the source agrees on, so that a watermark can stand on it. */
    public function canBeWatermark(): bool
    {
        return $this->isInteger() || $this->isMoment() || $this === self::Date || $this === self::Decimal;
    }
}
