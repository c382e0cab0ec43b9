<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Position\Place;

/** How far a stream has been read, and up to when the copies are complete. */
final class ReadUpTo
{
    /** Seconds after which a source is told again, so that it does not take the reader for gone. */
    private const SILENCE = 10.0;

    /** Place up to which everything is in the target or in the spool; null before the first. */
    private ?Place $closed;

    private ?Place $confirmed;

    /** Commit time of the last transaction that has landed or had nothing to land, microseconds. */
    private int $completeAt = 0;

    /** Whether the stream had nothing more when it was asked last. */
    public bool $caughtUp = false;

    public function __construct(?Place $from)
    {
        $this->closed = $this->confirmed = $from;
    }

    public function closed(): ?Place
    {
        return $this->closed;
    }

    /** @param  int  $at  commit time of the last transaction before the place, microseconds */
    public function closes(?Place $to, int $at): void
    {
        $this->closed = $to ?? $this->closed;
        $this->completeAt = $at;
    }

    /**
     * What the source may forget now.
     *
     * @param  float  $silence  seconds since it last heard of the reader
     */
    public function confirm(float $silence): ?Place
    {
        if ($this->closed === null || ($this->confirmed?->covers($this->closed) === true && $silence <= self::SILENCE)) {
            return null;
        }

        return $this->confirmed = $this->closed;
    }

    /**
     * @param  bool  $all  whether nothing is under way, and a mark written a moment ago has come back
     * @param  int  $now  the source's clock, microseconds
     * @return int|null microseconds up to which everything committed has landed; null while nothing is known
     */
    public function completeAt(bool $all, int $now): ?int
    {
        return $this->caughtUp && $all ? $now : ($this->completeAt === 0 ? null : $this->completeAt);
    }
}
