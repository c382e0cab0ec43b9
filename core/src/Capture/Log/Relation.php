<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Log;

use Lighterman\Core\Shape\TableName;

/** A table as the log describes it before its first change, and again whenever its shape has moved. */
final readonly class Relation
{
    /**
     * @param  string  $identity  what old rows carry: d the primary key, i an index, f every column, n nothing
     * @param  list<string>  $columns
     * @param  list<bool>  $inKey  which columns belong to the identity
     * @param  list<array{int, int}>  $types  type number and modifier per column, as the source has them
     */
    public function __construct(
        public int $id,
        public TableName $table,
        public string $identity,
        public array $columns,
        public array $inKey,
        public array $types,
    ) {
    }
}
