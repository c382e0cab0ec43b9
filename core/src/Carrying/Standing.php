<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

/** Where a feed stands, as it is kept: whether a person has paused it, and how far it is behind, comes on top. */
enum Standing: string
{
    /** Nothing of it has landed. */
    case Fresh = 'new';
    /** A load has to come to its end before its copy counts as whole. */
    case Loading = 'loading';
    case Carried = 'carried';
    /** It waits for somebody to decide. */
    case Held = 'held';
    /** It waits for a remedy, or for its next try. */
    case Failed = 'failed';

    /** Whether it may stand there next. Nothing becomes new but by starting over, which forgets what it was. */
    public function may(self $next): bool
    {
        return $next === $this || $next !== self::Fresh;
    }

    /** Whether it does not go on. */
    public function isStopped(): bool
    {
        return $this === self::Held || $this === self::Failed;
    }
}
