<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

/** What is said of a feed. */
enum FeedState: string
{
    case Fresh = 'new';
    case Loading = 'loading';
    case OnTime = 'on time';
    case Late = 'late';
    case Held = 'held';
    case Failed = 'failed';
    case Paused = 'paused';

    /**
     * @param  bool  $streamFailed  whether what it shares with other feeds to read its changes by has failed
     * @param  float|null  $behind  seconds; null while it has never been complete
     * @param  int  $promise  seconds
     */
    public static function of(Standing $standing, bool $paused, bool $streamFailed, ?float $behind, int $promise): self
    {
        return match (true) {
            $paused => self::Paused,
            $streamFailed => self::Failed,
            $standing === Standing::Held => self::Held,
            $standing === Standing::Failed => self::Failed,
            $standing === Standing::Loading => self::Loading,
            $behind === null => self::Fresh,
            default => $behind > $promise ? self::Late : self::OnTime,
        };
    }
}
