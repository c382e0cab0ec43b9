<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

/** What one statement did. */
final readonly class Outcome
{
    /**
     * @param  int  $affected  rows it touched, by the server's own count
     * @param  array<string, string|null>  $row  the first row it gave; empty where it gave none
     */
    public function __construct(public int $affected, public array $row = [])
    {
    }

    public function number(string $column): int
    {
        return (int) ($this->row[$column] ?? 0);
    }
}
