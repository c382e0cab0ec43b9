<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Log;

use Lighterman\Core\Position\Place;

/** A source transaction begins in the log. Transactions come whole and in the order of their commits. */
final readonly class Begin
{
    /**
     * @param  Place  $place  of the transaction
     * @param  int  $committedAt  the source's clock at the commit, microseconds since 1970 UTC
     * @param  int  $xid  the 32 low bits of the transaction's number
     */
    public function __construct(public Place $place, public int $committedAt, public int $xid)
    {
    }
}
