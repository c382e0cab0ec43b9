<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

/** That a later column shows that rows changed after a column was set. */
final readonly class Outrun
{
    /**
     * @param  int  $rows  of those looked at, in which the other is later
     * @param  string  $by  the later column
     */
    public function __construct(public int $rows, public string $by)
    {
    }
}
