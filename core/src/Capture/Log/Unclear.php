<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Log;

/** A change was made of which not even the key can be told; the table has to be loaded again. */
final readonly class Unclear
{
    public function __construct(public Relation $relation, public string $why)
    {
    }
}
