<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

/** Whether some columns tell the rows of a table apart. */
final readonly class KeyFacts
{
    /**
     * @param  list<string>  $columns
     * @param  array<string, string>|null  $duplicate  values that two rows share; null where none were found
     * @param  list<string>  $nullable  those of the columns that hold nulls
     */
    public function __construct(public array $columns, public ?array $duplicate = null, public array $nullable = [])
    {
    }
}
