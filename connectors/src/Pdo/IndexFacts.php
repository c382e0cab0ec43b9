<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Pdo;

/** What a database's catalogue says of a table besides its columns. */
final readonly class IndexFacts
{
    /**
     * @param  list<array{columns: list<string>, unique: bool}>  $indexes
     * @param  list<string>  $given  columns whose value the source gives once, at insert
     * @param  int|null  $estimatedRows  null when only counting tells
     */
    public function __construct(public array $indexes, public array $given, public ?int $estimatedRows)
    {
    }
}
