<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\QueryPosition;
use Lighterman\Core\Position\WatermarkPosition;

/**
 * The span of watermark values one run will read, fixed before the first row is read.
 *
 * Rows are taken that come after `from` (in the order watermark, key) and, if `until` limits the reading, before
 * `until`, or up to and with it when `withUntil` is set. When all have landed the feed stands at `end`.
 */
final readonly class Window
{
    /**
     * @param  string|null  $until  null reads to the end of what is visible
     * @param  string  $sourceTime  the copy is complete up to this time of the source's clock once the window has landed
     */
    private function __construct(
        public Position $from,
        public ?string $until,
        public bool $withUntil,
        public WatermarkPosition $end,
        public string $sourceTime,
    ) {
    }

    /**
     * @param  Position  $from  where the feed stands; its first load has ended
     * @return self|null null when no bound is safe yet
     */
    public static function following(Position $from, WatermarkMode $mode, Landing $landing, SourceMoment $moment, ?BoundNote $note): ?self
    {
        $bound = self::interrupted($from) ?? self::safeBound($mode, $moment, $note);
        if ($bound === null) {
            return null;
        }

        return match (true) {
            $mode === WatermarkMode::Moment => new self($from, $bound->bound, false, new WatermarkPosition($bound->bound), $bound->seenAt),
            $mode === WatermarkMode::Unique => new self($from, $bound->bound, true, new WatermarkPosition($bound->bound, []), $bound->seenAt),
            $landing->adds() => new self($from, $bound->bound, false, new WatermarkPosition($bound->bound), $bound->seenAt),
            default => new self($from, null, false, new WatermarkPosition($bound->bound), $bound->seenAt),
        };
    }

    /**
     * The bound under which a first load reads. Rows at or past it are left to the first increment.
     *
     * @return self|null null when the table holds no watermark value yet, or none is safe
     */
    public static function forLoad(Position $from, WatermarkMode $mode, SourceMoment $moment, ?BoundNote $note): ?self
    {
        $bound = self::interrupted($from) ?? self::safeBound($mode, $moment, $note);

        return $bound === null ? null : new self(
            $from,
            $bound->bound,
            $mode === WatermarkMode::Unique,
            new WatermarkPosition($bound->bound, $mode === WatermarkMode::Unique ? [] : null),
            $bound->seenAt,
        );
    }

    /** What to remember for the next run, when the number just seen may not be used yet. */
    public static function noteFor(WatermarkMode $mode, SourceMoment $moment, ?BoundNote $note): ?BoundNote
    {
        if ($mode === WatermarkMode::Moment || $moment->bound === null || ! self::someoneWasOpenAt($moment->clock, $moment)) {
            return null;
        }

        return $note !== null && self::someoneWasOpenAt($note->seenAt, $moment) ? $note : new BoundNote($moment->bound, $moment->clock);
    }

    /**
     * The bound of a load or window that was begun and not ended. It is kept: with a later one, rows changed behind the
     * point of resumption would be missed.
     */
    private static function interrupted(Position $from): ?BoundNote
    {
        return $from instanceof QueryPosition && $from->until !== null ? new BoundNote($from->until, (string) $from->seenAt) : null;
    }

    private static function safeBound(WatermarkMode $mode, SourceMoment $moment, ?BoundNote $note): ?BoundNote
    {
        if ($moment->bound === null) {
            return null;
        }
        if ($mode === WatermarkMode::Moment) {
            // The source rendered this bound already held back behind the oldest open transaction.
            return new BoundNote($moment->bound, $moment->held);
        }
        if (! self::someoneWasOpenAt($moment->clock, $moment)) {
            return new BoundNote($moment->bound, $moment->clock);
        }

        return $note !== null && ! self::someoneWasOpenAt($note->seenAt, $moment) ? $note : null;
    }

    private static function someoneWasOpenAt(string $time, SourceMoment $moment): bool
    {
        return $moment->oldestOpen !== null && $moment->oldestOpen <= $time;
    }
}
