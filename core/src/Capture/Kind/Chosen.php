<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

use Lighterman\Core\Capture\Origin;
use Lighterman\Core\Landing\Destination;

/** What was chosen for a feed, as far as it bears on its capture. */
final readonly class Chosen
{
    /** @param  string  $feed  its name, for messages */
    public function __construct(public string $feed, public Origin $origin, public Destination $destination)
    {
    }

    /** In the watermark's unit; 0 where there is no watermark. */
    public function overlap(): int
    {
        return $this->origin->watermark->overlap ?? 0;
    }
}
