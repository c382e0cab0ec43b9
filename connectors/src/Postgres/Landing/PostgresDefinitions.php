<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Connectors\Postgres\Server\TypeMap;
use Lighterman\Connectors\Warehouse\Definitions;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;

/** How PostgreSQL spells what makes and alters tables. */
final readonly class PostgresDefinitions implements Definitions
{
    public function createSchema(string $schema): string
    {
        return 'CREATE SCHEMA '.Quoted::name($schema);
    }

    public function uniqueIndex(TableName $table, array $key, ?string $where = null): string
    {
        return 'CREATE UNIQUE INDEX ON '.Sql::table($table).' ('.Quoted::names($key).')'.($where === null ? '' : ' WHERE '.Quoted::name($where));
    }

    public function addColumn(TableName $table, string $column, Type $type): string
    {
        return $this->alter($table, 'ADD COLUMN '.Quoted::name($column).' '.TypeMap::write($type));
    }

    public function renameColumn(TableName $table, string $column, string $to): string
    {
        return $this->alter($table, 'RENAME COLUMN '.Quoted::name($column).' TO '.Quoted::name($to));
    }

    public function retype(TableName $table, string $column, Type $from, Type $to): string
    {
        // What the server does not turn into another type by itself goes by way of text.
        $byItself = $to->kind->isText() || ($from->kind->isNumeric() && $to->kind->isNumeric()) || ($from->kind->isMoment() && $to->kind->isMoment());

        return $this->alter($table, 'ALTER COLUMN '.Quoted::name($column).' TYPE '.TypeMap::write($to).($byItself ? '' : ' USING '.Quoted::name($column).'::text::'.TypeMap::write($to)));
    }

    public function allowNull(TableName $table, string $column): string
    {
        return $this->alter($table, 'ALTER COLUMN '.Quoted::name($column).' DROP NOT NULL');
    }

    public function dropExpression(TableName $table, string $column): string
    {
        return $this->alter($table, 'ALTER COLUMN '.Quoted::name($column).' DROP EXPRESSION');
    }

    public function grant(TableName $table, array $privileges, string $user): string
    {
        return 'GRANT '.implode(', ', $privileges).' ON '.Sql::table($table).' TO '.Quoted::name($user);
    }

    public function waitAtMost(int $seconds): string
    {
        return "SET LOCAL lock_timeout = '{$seconds}s'";
    }

    private function alter(TableName $table, string $how): string
    {
        return 'ALTER TABLE '.Sql::table($table)." {$how}";
    }
}
