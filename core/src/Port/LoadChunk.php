<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Trouble\KeyTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

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

    /**
     * What is given of rows read one further than wanted, so that a key which the next chunk would begin with is seen.
     *
     * @param  list<list<string|null>>  $rows
     * @param  list<int>  $key  places of the key's columns
     * @return array{list<list<string|null>>, bool} the rows and whether they are the last
     *
     * @throws SystemTrouble when two rows share a key: one of them would be lost
     */
    public static function cut(array $rows, int $wanted, array $key, FeedDefinition $definition): array
    {
        $before = null;
        foreach ($rows as $row) {
            $values = array_map(static fn (int $at): ?string => $row[$at], $key);
            if ($values === $before) {
                throw KeyTrouble::doubled($definition->origin->table, array_combine($definition->origin->key, $values));
            }
            $before = $values;
        }
        $last = count($rows) <= $wanted;

        return [$last ? $rows : array_slice($rows, 0, $wanted), $last];
    }

    /** Whether the snapshot saw what a committed transaction had done. Numbers wrap round, so they compare by their distance. */
    public function saw(int $transaction): bool
    {
        return $this->next === null || (($this->next - $transaction - 1) & 0xFFFFFFFF) < 0x80000000 && ! in_array($transaction, $this->unseen, true);
    }
}
