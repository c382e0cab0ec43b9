<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;

/**
 * How one kind of warehouse spells what landing is made of. What is written alike everywhere (SELECT, JOIN, CASE, window
 * functions, INSERT … SELECT) stands with the landing itself.
 */
interface Dialect
{
    public function name(string $name): string;

    public function table(TableName $table): string;

    /** A literal of text. */
    public function text(string $value): string;

    /** As written in CREATE TABLE. */
    public function type(Type $type): string;

    /** A text that orders as its plain bytes do, as written in CREATE TABLE. */
    public function bytewise(): string;

    public function cast(string $expression, Type $type): string;

    /** The expression, or what stands for it where values of the type cannot be compared. */
    public function comparable(string $expression, Type $type): string;

    /**
     * The condition that some values are the same as others; null is the same as null.
     *
     * @param  non-empty-list<string>  $left
     * @param  non-empty-list<string>  $right
     */
    public function same(array $left, array $right): string;

    /** The later of two moments; of one that is null the other. */
    public function later(string $a, string $b): string;

    /**
     * A list of texts, as a value of a column that holds lists of text.
     *
     * @param  list<string>  $values
     */
    public function list(array $values): string;

    /** An entry of a list of texts, counted from 1, as the type. */
    public function entry(string $list, int $number, Type $type): string;

    /**
     * Writes the rows of a query by key; a row that is there already with the same values is left alone. The outcome of the last
     * statement has `inserted` and `updated`.
     *
     * @param  string  $table  as written in SQL
     * @param  list<string>  $columns  in the order of the query
     * @param  list<string>  $key
     * @param  array<string, Type>  $compared  columns whose difference makes a row another one
     * @return non-empty-list<string>
     */
    public function merge(string $table, array $columns, array $key, array $compared, string $query): array;

    /**
     * Inserts the rows of a query whose key is not there yet; its outcome's count is of those.
     *
     * @param  string  $table  as written in SQL
     * @param  list<string>  $columns  in the order of the query
     * @param  list<string>  $key
     */
    public function insertNew(string $table, array $columns, array $key, string $query): string;

    /**
     * Updates rows, `t`, from those of another table.
     *
     * @param  string  $table  as written in SQL
     * @param  array<string, string>  $set  expressions by column
     * @param  string  $from  a table or a query in brackets, with the name that expressions and condition call it
     */
    public function update(string $table, array $set, string $from, string $where): string;

    /** Deletes rows, `t`, that match those of another table. */
    public function delete(string $table, string $using, string $where): string;

    /** A table that only this session sees, as written in SQL. */
    public function staged(string $name): string;

    /**
     * Makes an empty table that only this session sees, with the columns of a query; in place of one of that name. After a
     * rollback it may be gone.
     *
     * @return non-empty-list<string>
     */
    public function stage(string $name, string $query): array;

    /**
     * Makes such a table with the columns of another and with what that demands of each row, until the transaction ends.
     *
     * @param  string  $name  as written in SQL
     * @return non-empty-list<string>
     */
    public function trial(string $name, TableName $like): array;

    /** Empties such a table. */
    public function emptyStage(string $name): string;

    /**
     * Takes out of such a table the rows after which another of the same key came; its outcome's count is of those.
     *
     * @param  list<string>  $key
     */
    public function keepLast(string $name, array $key): string;

    /**
     * Drops all such tables of the session.
     *
     * @return list<string>
     */
    public function dropStages(): array;

    /**
     * Keeps others from dropping, altering or emptying tables until the commit; readers and those who write rows are not held up.
     *
     * @param  list<string>  $tables  as written in SQL
     */
    public function hold(array $tables): string;

    /**
     * For people: what would be run to load lines.
     *
     * @param  list<string>  $columns
     */
    public function loading(string $into, array $columns, string $lines): string;
}
