<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

/** How a feed notices what is new. */
enum Capture: string
{
    case Reload = 'reload';
    case Watermark = 'watermark';
    case Log = 'log';
    case Trigger = 'trigger';
    case Files = 'files';

    public function explanation(): string
    {
        return match ($this) {
            self::Reload => 'Reads the whole table every time.',
            self::Watermark => 'Reads only rows past the last value of a growing column.',
            self::Log => 'Takes every insert, update and delete from the database\'s own change log.',
            self::Trigger => 'Takes every insert, update and delete from triggers that write them into a table beside.',
            self::Files => 'Takes every file that matches a pattern, once.',
        };
    }

    /** Whether what arrives are changes and not the rows a query finds. */
    public function bringsChanges(): bool
    {
        return $this === self::Log || $this === self::Trigger;
    }
}
