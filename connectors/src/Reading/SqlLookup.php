<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Reading;

use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Treatment\LookupTable;

/** Looks values up in a table of a database. Keys are joined as literals of their type, so that an index on them is used. */
final readonly class SqlLookup implements LookupTable
{
    /** @var callable(string): list<array<string, string|null>> */
    private mixed $query;

    /** @param  callable(string): list<array<string, string|null>>  $query */
    public function __construct(private Spelling $spelling, private TableName $table, private Column $match, private Column $take, callable $query)
    {
        $this->query = $query;
    }

    public function fetch(array $keys): array
    {
        $wanted = implode(', ', array_map(fn (int $n, string $key): string => "({$n}, ".$this->spelling->literal($this->match->type, $key).')', array_keys($keys), $keys));
        $take = $this->spelling->rendered($this->take);
        $found = [];
        foreach (($this->query)("WITH lm_wanted(lm_n, lm_k) AS (VALUES {$wanted}) SELECT DISTINCT lm_n AS n, {$take} AS v FROM lm_wanted JOIN ".$this->spelling->table($this->table).' ON '.$this->spelling->name($this->match->name).' = lm_k') as $row) {
            $key = $keys[(int) $row['n']];
            $found[$key] = array_key_exists($key, $found) ? false : $row['v'];
        }

        return $found;
    }

    public function now(): int
    {
        return (int) SteadyClock::seconds();
    }
}
