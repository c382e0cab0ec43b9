<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

/** What happens to a file that was taken before and is not the same any more. */
enum ChangedFile: string
{
    case Again = 'again';
    case SetAside = 'set_aside';
    case Ignore = 'ignore';

    public function word(): string
    {
        return match ($this) {
            self::Again => 'take it again',
            self::SetAside => 'set it aside',
            self::Ignore => 'ignore it',
        };
    }
}
