<?php

declare(strict_types=1);

namespace App\Runtime\Work;

/** What one worker at a time does. */
enum WorkKind: string
{
    /** Carrying one feed by query. */
    case Feed = 'feeds';
    /** Reading the changes of a route. */
    case Log = 'route_logs';

    /** The column of a lease that holds the number of such a piece of work. */
    public function column(): string
    {
        return match ($this) {
            self::Feed => 'feed_id',
            self::Log => 'log_id',
        };
    }
}
