<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Value;

use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\TableName;

/** Where a value is looked up. */
final readonly class Sought
{
    /**
     * @param  string  $system  name of the system that the table is in
     * @param  Column  $match  the column that the value is looked for in
     * @param  Column  $take  the column that the result is taken from
     */
    public function __construct(public string $system, public TableName $table, public Column $match, public Column $take)
    {
    }
}
