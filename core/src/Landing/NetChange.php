<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/** What is left to do for one key after all its changes. */
final readonly class NetChange
{
    /**
     * @param  list<string|false|null>  $row  false where the landed row keeps its value; for a delete only the key counts
     * @param  list<string>|null  $from  key of the landed row that the values not said are taken from; null when all are said
     */
    public function __construct(public bool $delete, public array $row, public ?array $from, public SourceCommit $commit)
    {
    }
}
