<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Avro;

use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/**
 * The Avro schema of a shape: one record, a union with null for each column that may be null.
 *
 * @see https://avro.apache.org/docs/1.11.1/specification/
 */
final class Schema
{
    /** Decimal digits that Avro's readers commonly take. */
    private const DIGITS = 38;

    /** Under which a column's name is kept that is no name in Avro. */
    private const COLUMN = 'column';

    /** @return array<string, mixed> */
    public static function of(Shape $shape, string $name): array
    {
        $taken = [];
        $fields = [];
        foreach ($shape->columns as $column) {
            $field = self::name($column->name);
            for ($n = 2; isset($taken[$field]); $n++) {
                $field = self::name($column->name)."_{$n}";
            }
            $taken[$field] = true;
            $type = self::type($column->type);
            $fields[] = ['name' => $field, 'type' => $column->nullable ? ['null', $type] : $type]
                + ($column->nullable ? ['default' => null] : []) + ($column->comment === null ? [] : ['doc' => $column->comment]) + ($field === $column->name ? [] : [self::COLUMN => $column->name]);
        }

        return ['type' => 'record', 'name' => self::name($name), 'fields' => $fields];
    }

    /** @return string|array<string, mixed> */
    private static function type(Type $type): string|array
    {
        return match ($type->kind) {
            TypeKind::Boolean => 'boolean',
            TypeKind::Int16, TypeKind::Int32 => 'int',
            TypeKind::Int64 => 'long',
            TypeKind::Float32 => 'float',
            TypeKind::Float64 => 'double',
            TypeKind::Bytes => 'bytes',
            TypeKind::Decimal => $type->precision !== null && $type->precision <= self::DIGITS ? ['type' => 'bytes', 'logicalType' => 'decimal', 'precision' => $type->precision, 'scale' => $type->scale ?? 0] : 'string',
            TypeKind::Date => ['type' => 'int', 'logicalType' => 'date'],
            TypeKind::Time => ['type' => 'long', 'logicalType' => 'time-micros'],
            TypeKind::Timestamp => ['type' => 'long', 'logicalType' => 'local-timestamp-micros'],
            TypeKind::TimestampTz => ['type' => 'long', 'logicalType' => 'timestamp-micros'],
            TypeKind::Uuid => ['type' => 'string', 'logicalType' => 'uuid'],
            TypeKind::List => ['type' => 'array', 'items' => ['null', self::type($type->element ?? Type::of(TypeKind::Text))]],
            TypeKind::Native => $type->isObjectNumber() ? 'long' : 'string',
            default => 'string',
        };
    }

    /**
     * The shape that records of a schema have here; what is nested becomes JSON.
     *
     * @param  array<string, mixed>  $schema
     *
     * @throws MalformedAvro if it is no record
     */
    public static function shape(array $schema): Shape
    {
        if (($schema['type'] ?? null) !== 'record') {
            throw MalformedAvro::because('its schema is not a record, so it has no columns');
        }
        $columns = [];
        foreach ($schema['fields'] as $field) {
            [$type, $nullable] = self::read($field['type']);
            $columns[] = new Column($field[self::COLUMN] ?? $field['name'], $type, $nullable, $field['doc'] ?? null);
        }

        return new Shape($columns);
    }

    /**
     * @param  mixed  $schema  of a field
     * @return array{Type, bool} our type, and whether it may be null
     */
    private static function read(mixed $schema): array
    {
        if (is_array($schema) && array_is_list($schema)) {
            $others = array_values(array_filter($schema, static fn (mixed $s): bool => $s !== 'null'));

            return [count($others) === 1 ? self::read($others[0])[0] : Type::of(TypeKind::Json), count($others) < count($schema)];
        }
        $of = is_array($schema) ? $schema : ['type' => $schema];
        if (is_array($of['type'] ?? null)) {
            return self::read($of['type']);
        }
        $kind = match ([$of['type'] ?? null, $of['logicalType'] ?? null]) {
            ['bytes', 'decimal'], ['fixed', 'decimal'] => null,
            ['int', 'date'] => TypeKind::Date,
            ['int', 'time-millis'], ['long', 'time-micros'] => TypeKind::Time,
            ['long', 'timestamp-millis'], ['long', 'timestamp-micros'] => TypeKind::TimestampTz,
            ['long', 'local-timestamp-millis'], ['long', 'local-timestamp-micros'] => TypeKind::Timestamp,
            ['string', 'uuid'] => TypeKind::Uuid,
            default => match ($of['type'] ?? null) {
                'boolean' => TypeKind::Boolean, 'int' => TypeKind::Int32, 'long' => TypeKind::Int64, 'float' => TypeKind::Float32, 'double' => TypeKind::Float64,
                'bytes', 'fixed' => TypeKind::Bytes, 'string', 'enum', 'null' => TypeKind::Text, default => TypeKind::Json,
            },
        };

        return [$kind === null ? Type::decimal((int) $of['precision'], (int) ($of['scale'] ?? 0)) : Type::of($kind), ($of['type'] ?? null) === 'null'];
    }

    private static function name(string $name): string
    {
        $name = (string) preg_replace('/[^A-Za-z0-9_]/', '_', $name);

        return $name === '' || ctype_digit($name[0]) ? "_{$name}" : $name;
    }
}
