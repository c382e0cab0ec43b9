<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

use Lighterman\Core\Position\Place;

/** The transaction that made a change. */
final readonly class SourceCommit
{
    /**
     * @param  Place  $place  of the transaction in the stream
     * @param  int  $at  the source's clock at the commit, microseconds since 1970 UTC
     */
    public function __construct(public Place $place, public int $at)
    {
    }

    /** ISO 8601, UTC, with microseconds. */
    public function time(): string
    {
        return self::timeAt($this->at);
    }

    /** @param  int  $microseconds  since 1970 UTC */
    public static function timeAt(int $microseconds): string
    {
        return gmdate('Y-m-d\TH:i:s', intdiv($microseconds, 1_000_000)).sprintf('.%06dZ', $microseconds % 1_000_000);
    }
}
