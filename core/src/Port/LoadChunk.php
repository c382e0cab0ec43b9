<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** Rows of a first load that goes on beside the changes, as one snapshot saw them. */
final readonly class LoadChunk
{
    /**
     * @param  list<list<string|null>>  $rows  in key order, columns as carried
     * @param  bool  $last  whether the table ends here
     * @param  list<int>  $unseen  low 32 bits of transactions that the snapshot could not see
     * @param  int|null  $next  low 32 bits of the first transaction from which on it could see none; null where whatever
     *                          was read from the log before is always seen
     * @param  int  $at  the source's clock at the snapshot, microseconds since 1970 UTC
     */
    public function __construct(public array $rows, public bool $last, public array $unseen, public ?int $next, public int $at, public int $bytes)
    {
    }

    /** Whether the snapshot saw what a committed transaction had done. Numbers wrap round, so they compare by their distance. */
    public function saw(int $transaction): bool
    {
        return $this->next === null || (($this->next - $transaction - 1) & 0xFFFFFFFF) < 0x80000000 && ! in_array($transaction, $this->unseen, true);
    }
}
