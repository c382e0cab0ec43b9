<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Shape\Shape;

/** How much a target holds of one table. */
final readonly class KeptTable
{
    /**
     * @param  int|null  $rows  null where nobody has counted or estimated them
     * @param  bool  $exact  whether rows are counted and not estimated
     * @param  int|null  $files  null where the target keeps no files
     * @param  Shape|null  $shape  told for tables that no feed has landed; null for the others, whose feed knows it
     */
    public function __construct(public ?int $rows, public bool $exact, public int $bytes, public ?int $files, public ?Shape $shape = null)
    {
    }
}
