<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

/** The column that grows, by which a query finds what is new. */
final readonly class Watermark
{
    /**
     * @param  bool  $unique  whether no two rows share a value (numbers only)
     * @param  int  $overlap  re-read before each window: seconds for moments, units for numbers, days for dates
     */
    public function __construct(public string $column, public bool $unique = false, public int $overlap = 0)
    {
    }
}
