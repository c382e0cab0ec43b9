<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

/** How many rows a table has, and how many were looked at to learn about it. */
final readonly class RowCount
{
    /**
     * @param  int  $rows  counted, or estimated when `counted` is false
     * @param  bool  $counted  whether nulls and rows come from reading the whole table rather than from statistics
     * @param  int  $lookedAt  rows compared one with another to find columns that are outrun
     * @param  int|null  $updates  rows updated since the source last reset its statistics; null when unknown
     */
    public function __construct(public int $rows, public bool $counted, public int $lookedAt, public ?int $updates = null)
    {
    }
}
