<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;

/** One table as the source's own catalogue describes it. */
final readonly class CatalogueEntry
{
    /**
     * @param  int|null  $estimatedRows  from the source's statistics; null when it has none yet
     * @param  int  $bytes  with indexes
     * @param  list<string>  $watermarkColumns  columns whose type and name make them candidates, likeliest first
     */
    public function __construct(
        public TableName $table,
        public Shape $shape,
        public ?int $estimatedRows,
        public int $bytes,
        public array $watermarkColumns,
        public ?string $comment,
    ) {
    }
}
