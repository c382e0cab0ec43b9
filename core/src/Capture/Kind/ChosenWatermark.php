<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

/** The column that grows. */
final readonly class ChosenWatermark
{
    /** @param  bool  $unique  whether no two rows share a value */
    public function __construct(public string $column, public bool $unique)
    {
    }
}
