<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Reading;

use Lighterman\Core\Capture\WatermarkMode;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;

/** How one kind of database spells what the queries of a reader are made of. */
interface Spelling
{
    public function name(string $name): string;

    public function table(TableName $table): string;

    /** An expression that renders a column as the target reads it, neither rounded nor bound to the settings of a session. */
    public function rendered(Column $column): string;

    /**
     * The condition that a row has a value by which rows of the type can be put in order.
     *
     * @param  string  $column  as spelled
     */
    public function isValue(?Type $type, string $column): string;

    /** An expression that gives every row another number. */
    public function random(): string;

    /** A literal that compares with a column of the type. */
    public function literal(?Type $type, string $value): string;

    /** A literal less the overlap: seconds for moments, units for anything else. */
    public function less(string $literal, int $overlap, ?WatermarkMode $mode): string;

    /**
     * The condition that a row comes after a point in the order of some columns, or up to and with it.
     *
     * @param  list<string>  $columns  as spelled
     * @param  list<string>  $values  literals
     * @param  '>'|'<='  $operator
     */
    public function ordered(array $columns, array $values, string $operator): string;
}
