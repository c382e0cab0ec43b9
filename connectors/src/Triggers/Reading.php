<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Triggers;

use Lighterman\Core\Position\ReadingPlace;

/**
 * A look at a change table, written down beside it. The changes between two readings are the same whenever they are asked
 * for, so that what a crash interrupted is read again exactly.
 */
final readonly class Reading
{
    /**
     * @param  int  $number  counted from the state when the table was made, which is 0 where no table was lost before
     * @param  string  $seen  which changes were committed at that moment, in the source's own terms
     * @param  int  $at  the source's clock, microseconds since 1970 UTC
     */
    public function __construct(public int $number, public string $seen, public int $at)
    {
    }

    /** The first place of this reading in the order of a route's changes. */
    public function place(): ReadingPlace
    {
        return ReadingPlace::before($this->number, 0);
    }
}
