<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

/** How a feed goes along with the others of its route. */
enum Stage
{
    /** A person, or trouble of its own, keeps it from landing; its changes go to the spool. */
    case Kept;
    /** What waits for it in the spool is being landed, while newer changes still go there. */
    case CatchingUp;
    /** Its changes land with the others. */
    case Along;

    public function spools(): bool
    {
        return $this !== self::Along;
    }

    public function may(self $next): bool
    {
        return match ($this) {
            self::Kept => $next === self::CatchingUp,
            self::CatchingUp => true,
            self::Along => $next === self::Kept,
        };
    }
}
