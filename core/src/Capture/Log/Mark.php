<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Log;

use Lighterman\Core\Position\Place;

/** A message somebody wrote into the log: a heartbeat, or a mark of a first load. */
final readonly class Mark
{
    public function __construct(public Place $place, public string $prefix, public string $content)
    {
    }
}
