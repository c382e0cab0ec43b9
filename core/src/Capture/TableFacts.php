<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;

/** What was found by looking at a table before a capture is chosen. */
final readonly class TableFacts
{
    /**
     * @param  array<string, ColumnFacts>  $columns  by name, only those that could serve as watermark by their type
     * @param  FileFacts|null  $files  how its files are read, where it consists of such
     */
    public function __construct(
        public TableName $table,
        public Shape $shape,
        public RowCount $count,
        public array $columns,
        public KeyFacts $key,
        public ?FileFacts $files = null,
    ) {
    }
}
