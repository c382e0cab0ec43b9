<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;

/** What was found by looking at a table before a capture is chosen. */
final readonly class TableFacts
{
    /**
     * @param  int  $rows  counted, or estimated when `counted` is false
     * @param  bool  $counted  whether nulls and rows come from reading the whole table rather than from statistics
     * @param  int  $lookedAt  rows compared one with another to find columns that are outrun
     * @param  int|null  $updates  rows updated since the source last reset its statistics; null when unknown
     * @param  int|null  $deletes  rows deleted since then
     * @param  array<string, ColumnFacts>  $columns  by name, only those that could serve as watermark by their type
     * @param  list<string>  $key  the key these facts speak about
     * @param  array<string, string>|null  $duplicate  key values that two rows share, when the key does not tell rows apart
     * @param  list<string>  $nullableKey  columns of the key that hold nulls
     * @param  FileFacts|null  $files  how its files are read, where it consists of such
     */
    public function __construct(
        public TableName $table,
        public Shape $shape,
        public int $rows,
        public bool $counted,
        public int $lookedAt,
        public ?int $updates,
        public ?int $deletes,
        public array $columns,
        public array $key,
        public ?array $duplicate = null,
        public array $nullableKey = [],
        public ?FileFacts $files = null,
    ) {
    }
}
