<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Port\LoadChunk;

/** The transactions that were read last. One leaves the list of those that run moments after its commit, so older ones need not be known. */
final class Delivered
{
    private const REMEMBERED = 5000;

    /** @var array<int, true> by the low 32 bits of their numbers */
    private array $transactions = [];

    public function add(int $transaction): void
    {
        $this->transactions[$transaction] = true;
        if (count($this->transactions) > 2 * self::REMEMBERED) {
            $this->transactions = array_slice($this->transactions, -self::REMEMBERED, null, true);
        }
    }

    /** Whether a chunk shows what all of them have done. */
    public function wereSeenBy(LoadChunk $chunk): bool
    {
        foreach (array_keys($this->transactions) as $transaction) {
            if (! $chunk->saw($transaction)) {
                return false;
            }
        }

        return true;
    }
}
