<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Log;

/** Tables were emptied at once. */
final readonly class Truncated
{
    /** @param  list<Relation>  $relations */
    public function __construct(public array $relations)
    {
    }
}
