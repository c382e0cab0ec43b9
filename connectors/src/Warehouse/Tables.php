<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Port\Finding;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;

/** What stands in a warehouse, asked of its own catalogue. */
interface Tables
{
    /** Null where there is none, or the user may not see it. */
    public function shape(TableName $table): ?Shape;

    public function isEmpty(TableName $table): bool;

    public function count(TableName $table): int;

    public function hasSchema(string $schema): bool;

    /** Whether the user may make a table there, and what to do if not. */
    public function mayCreate(TableName $table): Finding;

    /**
     * @param  list<string>  $privileges
     * @return list<string> those that the user lacks
     */
    public function lacking(TableName $table, array $privileges): array;

    /** Whether a column has a value where none is given. */
    public function hasDefault(TableName $table, string $column): bool;

    /** @param  list<string>  $key  in any order */
    public function hasUniqueIndex(TableName $table, array $key): bool;

    /**
     * Puts a table built beside another in its place, within the transaction under way, so that readers see either the old
     * rows or the new ones; what depends on the old one stays.
     *
     * @return int rows that there were before
     */
    public function exchange(TableName $table, TableName $beside): int;
}
