<?php

declare(strict_types=1);

namespace Lighterman\Core\Position;

/**
 * A place in a stream of changes, as whoever gave it means it. Either one transaction of the stream, with all before it, or
 * the gap between two. Places of different streams are not comparable.
 */
interface Place
{
    /** Whether everything up to another place is up to this one too. */
    public function covers(self $other): bool;

    /** As it is stored; the stream that gave it reads it again. */
    public function text(): string;

    /** As rows are stamped with it. */
    public function label(): string;

    /**
     * Of one change of the transaction that stands here, as text. The texts of the changes of one row order, byte by byte, as
     * the changes do.
     *
     * @param  int  $number  of the change within its transaction
     */
    public function ofChange(int $number): string;
}
