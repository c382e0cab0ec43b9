<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Log;

/** A source transaction begins in the log. Transactions come whole and in the order of their commits. */
final readonly class Begin
{
    /**
     * @param  int  $lsn  position of the commit
     * @param  int  $committedAt  the source's clock at the commit, microseconds since 1970 UTC
     * @param  int  $xid  the 32 low bits of the transaction's number
     */
    public function __construct(public int $lsn, public int $committedAt, public int $xid)
    {
    }
}
