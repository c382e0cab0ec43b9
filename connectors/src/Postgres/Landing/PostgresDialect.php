<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Connectors\Postgres\Server\TypeMap;
use Lighterman\Connectors\Warehouse\Dialect;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** How PostgreSQL spells what landing is made of. */
final readonly class PostgresDialect implements Dialect
{
    public function name(string $name): string
    {
        return Quoted::name($name);
    }

    public function table(TableName $table): string
    {
        return Sql::table($table);
    }

    public function text(string $value): string
    {
        return Quoted::literal($value);
    }

    public function type(Type $type): string
    {
        return TypeMap::write($type);
    }

    public function bytewise(): string
    {
        return 'text COLLATE "C"';
    }

    public function cast(string $expression, Type $type): string
    {
        return "{$expression}::".TypeMap::write($type);
    }

    public function comparable(string $expression, Type $type): string
    {
        return $expression.(TypeMap::comparable($type) ? '' : '::text');
    }

    public function same(array $left, array $right): string
    {
        return '('.implode(', ', $left).') IS NOT DISTINCT FROM ('.implode(', ', $right).')';
    }

    public function later(string $a, string $b): string
    {
        return "greatest({$a}, {$b})";
    }

    public function list(array $values): string
    {
        return '{'.implode(',', array_map(static fn (string $v): string => '"'.addcslashes($v, '"\\').'"', $values)).'}';
    }

    public function entry(string $list, int $number, Type $type): string
    {
        return "({$list}[{$number}])".($type->kind === TypeKind::Enumeration ? '' : '::'.TypeMap::write($type));
    }

    public function merge(string $table, array $columns, array $key, array $compared, string $query): array
    {
        $of = fn (string $row): string => implode(', ', array_map(fn (string $name, Type $type): string => $this->comparable("{$row}.".Quoted::name($name), $type), array_map(strval(...), array_keys($compared)), $compared));
        $set = implode(', ', array_map(static fn (string $c): string => Quoted::name($c).' = excluded.'.Quoted::name($c), array_diff($columns, $key)));

        return ["WITH landed AS (
                INSERT INTO {$table} AS t (".Quoted::names($columns).") {$query}
                ON CONFLICT (".Quoted::names($key).') DO '.($compared === [] ? 'NOTHING' : "UPDATE SET {$set} WHERE ({$of('t')}) IS DISTINCT FROM ({$of('excluded')})").' RETURNING t.xmax = 0 AS inserted)
            SELECT count(*) FILTER (WHERE inserted) AS inserted, count(*) FILTER (WHERE NOT inserted) AS updated FROM landed'];
    }

    public function insertNew(string $table, array $columns, array $key, string $query): string
    {
        return "INSERT INTO {$table} (".Quoted::names($columns).") {$query} ON CONFLICT (".Quoted::names($key).') DO NOTHING';
    }

    public function update(string $table, array $set, string $from, string $where): string
    {
        return "UPDATE {$table} t SET ".implode(', ', array_map(static fn (string $c, string $e): string => Quoted::name($c)." = {$e}", array_keys($set), $set))." FROM {$from} WHERE {$where}";
    }

    public function delete(string $table, string $using, string $where): string
    {
        return "DELETE FROM {$table} t USING {$using} WHERE {$where}";
    }

    public function staged(string $name): string
    {
        return "pg_temp.{$name}";
    }

    public function stage(string $name, string $query): array
    {
        return ["DROP TABLE IF EXISTS pg_temp.{$name}", "CREATE TEMP TABLE {$name} ON COMMIT DELETE ROWS AS {$query} WITH NO DATA"];
    }

    public function trial(string $name, TableName $like): array
    {
        return ["CREATE TEMP TABLE {$name} (LIKE {$this->table($like)} INCLUDING CONSTRAINTS INCLUDING DEFAULTS INCLUDING GENERATED) ON COMMIT DROP"];
    }

    public function emptyStage(string $name): string
    {
        return "TRUNCATE pg_temp.{$name}";
    }

    public function keepLast(string $name, array $key): string
    {
        // The stage is only ever added to, so that its rows stand in their order.
        $keys = Quoted::names($key);

        return "DELETE FROM pg_temp.{$name} s USING (SELECT ctid AS place, row_number() OVER (PARTITION BY {$keys} ORDER BY ctid DESC) AS n FROM pg_temp.{$name}) d WHERE s.ctid = d.place AND d.n > 1";
    }

    public function dropStages(): array
    {
        return ['DISCARD TEMP'];
    }

    public function hold(array $tables): string
    {
        return 'LOCK TABLE '.implode(', ', $tables).' IN ROW EXCLUSIVE MODE';
    }

    public function loading(string $into, array $columns, string $lines): string
    {
        return "COPY {$into} (".Quoted::names($columns).") FROM STDIN;\n{$lines}\\.";
    }
}
