<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** Rows a query gave, as text, with whether more were there than the limit let through. */
final readonly class QueryResult
{
    /**
     * @param  list<array{name: string, type: string, numeric: bool}>  $columns  with types as Type::parse() reads them
     * @param  list<list<string|null>>  $rows
     * @param  float  $seconds  from sending the statement to the last row read
     * @param  array{int, int}|null  $files  how many of how many files of the tables were read; null where there are no files
     */
    public function __construct(public array $columns, public array $rows, public bool $cut, public float $seconds, public ?array $files = null)
    {
    }
}
