<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

/** What becomes of a record that takes none of a feed's forks. */
enum Otherwise: string
{
    case Land = 'land';
    case SetAside = 'set_aside';
    case Drop = 'drop';

    public function words(): string
    {
        return match ($this) {
            self::Land => 'lands in the feed\'s own table',
            self::SetAside => 'is set aside',
            self::Drop => 'is dropped',
        };
    }

    /** The place of such a record, beside the numbers of the forks. */
    public function place(): int
    {
        return match ($this) {
            self::Land => Fork::OWN,
            self::SetAside => Fork::ASIDE,
            self::Drop => Fork::DROPPED,
        };
    }
}
