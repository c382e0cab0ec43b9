<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Server;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/**
 * PostgreSQL's types to ours and back.
 *
 * Type modifiers are decoded as the server's own type functions do: numeric packs precision and scale above an offset
 * of 4, varchar and char add 4 to the length.
 *
 * @see https://www.postgresql.org/docs/15/catalog-pg-attribute.html atttypmod
 */
final class TypeMap
{
    private const PLAIN = [
        'bool' => TypeKind::Boolean, 'int2' => TypeKind::Int16, 'int4' => TypeKind::Int32, 'int8' => TypeKind::Int64,
        'float4' => TypeKind::Float32, 'float8' => TypeKind::Float64, 'text' => TypeKind::Text, 'bytea' => TypeKind::Bytes,
        'date' => TypeKind::Date, 'interval' => TypeKind::Interval, 'uuid' => TypeKind::Uuid, 'json' => TypeKind::Json, 'jsonb' => TypeKind::JsonBinary,
    ];

    private const SIZED = ['varchar' => TypeKind::Varchar, 'bpchar' => TypeKind::Char];

    /** Types of the server's own housekeeping: what they say is told as text, and read back only by the server that said it. */
    private const TOLD = ['regproc', 'regprocedure', 'regoper', 'regoperator', 'regclass', 'regtype', 'regrole', 'regnamespace', 'regconfig', 'regdictionary', 'regcollation', 'int2vector', 'oidvector', 'pg_node_tree', 'pg_ndistinct', 'pg_dependencies', 'pg_mcv_list', 'pg_snapshot', 'txid_snapshot', 'aclitem', 'refcursor', 'gtsvector'];

    private const TIMED = ['time' => TypeKind::Time, 'timetz' => TypeKind::TimeTz, 'timestamp' => TypeKind::Timestamp, 'timestamptz' => TypeKind::TimestampTz];

    private const WRITTEN = [
        'boolean' => 'boolean', 'int16' => 'smallint', 'int32' => 'integer', 'int64' => 'bigint', 'float32' => 'real', 'float64' => 'double precision',
        'text' => 'text', 'bytes' => 'bytea', 'date' => 'date', 'interval' => 'interval', 'uuid' => 'uuid', 'json' => 'json', 'jsonb' => 'jsonb',
        'varchar' => 'varchar', 'char' => 'char', 'time' => 'time', 'timetz' => 'timetz', 'timestamp' => 'timestamp', 'timestamptz' => 'timestamptz',
    ];

    /** @param  array<string, string|null>  $type columns name, schema, kind, modifier, written, labels of the catalogue query */
    public static function read(array $type): Type
    {
        $name = (string) $type['name'];
        $modifier = (int) $type['modifier'];
        if ($type['kind'] === 'e') {
            return Type::enumeration($name, json_decode((string) $type['labels'], true) ?? []);
        }
        if ($name === 'citext' && $type['kind'] === 'b') {
            return Type::of(TypeKind::Text);
        }
        if ($type['schema'] !== 'pg_catalog') {
            return Type::unmappable((string) $type['written']);
        }

        return match (true) {
            in_array($name, self::TOLD, true) => Type::of(TypeKind::Text),
            isset(self::PLAIN[$name]) => Type::of(self::PLAIN[$name]),
            isset(self::SIZED[$name]) => Type::sized(self::SIZED[$name], $modifier >= 4 ? $modifier - 4 : null),
            isset(self::TIMED[$name]) => Type::sized(self::TIMED[$name], $modifier >= 0 ? $modifier : null),
            $name === 'numeric' => $modifier >= 4
                ? Type::decimal((($modifier - 4) >> 16) & 0xFFFF, ((($modifier - 4) & 0x7FF) ^ 1024) - 1024)
                : Type::decimal(null, null),
            in_array($type['kind'], ['b', 'r', 'm'], true) => Type::native((string) $type['written']),
            default => Type::unmappable((string) $type['written']),
        };
    }

    /** The type of a column of a result, of which only the name is told; what ours have no word for is text. */
    public static function named(string $name): Type
    {
        $kind = self::PLAIN[$name] ?? self::TIMED[$name] ?? ($name === 'numeric' ? TypeKind::Decimal : TypeKind::Text);

        return Type::of(in_array($kind, Type::writable(), true) ? $kind : TypeKind::Text);
    }

    /** As written in CREATE TABLE. */
    public static function write(Type $type): string
    {
        return match ($type->kind) {
            TypeKind::Decimal => $type->precision === null ? 'numeric' : "numeric({$type->precision},{$type->scale})",
            TypeKind::Enumeration => 'text',
            TypeKind::List => self::write($type->element ?? Type::of(TypeKind::Text)).'[]',
            TypeKind::Native, TypeKind::Unmappable => (string) $type->name,
            default => self::WRITTEN[$type->kind->value].($type->length === null ? '' : "({$type->length})"),
        };
    }

    /** Whether values compare with `=`; the others are compared as text. */
    public static function comparable(Type $type): bool
    {
        return ! in_array($type->kind, [TypeKind::Json, TypeKind::Native], true)
            && ($type->element === null || self::comparable($type->element));
    }
}
