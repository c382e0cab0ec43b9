<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

/** How a feed notices what is new. */
enum Capture: string
{
    case Reload = 'reload';
    case Watermark = 'watermark';

    public function explanation(): string
    {
        return match ($this) {
            self::Reload => 'Reads the whole table every time.',
            self::Watermark => 'Reads only rows past the last value of a growing column.',
        };
    }
}
