<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;

/** How one kind of warehouse spells what makes and alters tables. All are whole statements that a person could run as they are. */
interface Definitions
{
    public function createSchema(string $schema): string;

    /**
     * @param  list<string>  $key
     * @param  string|null  $where  a boolean column: of rows where it is false, several may have a key
     */
    public function uniqueIndex(TableName $table, array $key, ?string $where = null): string;

    public function addColumn(TableName $table, string $column, Type $type): string;

    public function renameColumn(TableName $table, string $column, string $to): string;

    public function retype(TableName $table, string $column, Type $from, Type $to): string;

    /** A column may be null from now on. */
    public function allowNull(TableName $table, string $column): string;

    /** A column takes values from now on, and makes none itself. */
    public function dropExpression(TableName $table, string $column): string;

    /** @param  non-empty-list<string>  $privileges */
    public function grant(TableName $table, array $privileges, string $user): string;

    /** The statement that has others of a session give up after some seconds, until the transaction is over. */
    public function waitAtMost(int $seconds): string;
}
