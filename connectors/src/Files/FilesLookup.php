<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use Closure;
use Generator;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Treatment\LookupTable;
use Lighterman\Core\Trouble\QueryTrouble;

/** Values looked up in files, which are read whole with the first question. */
final class FilesLookup implements LookupTable
{
    /** Values that are kept. */
    private const MOST = 500_000;

    /** @var array<array-key, string|null|false>|null */
    private ?array $values = null;

    /** @param  Closure(): Generator<int, list<string|null>>  $rows */
    public function __construct(private readonly Closure $rows, private readonly int $match, private readonly int $take, private readonly string $table)
    {
    }

    public function fetch(array $keys): array
    {
        return array_intersect_key($this->values ??= $this->read(), array_flip($keys));
    }

    public function now(): int
    {
        return (int) SteadyClock::seconds();
    }

    /** @return array<array-key, string|null|false> */
    private function read(): array
    {
        $values = [];
        foreach (($this->rows)() as $row) {
            if ($row[$this->match] !== null) {
                $key = $row[$this->match];
                $values[$key] = array_key_exists($key, $values) && $values[$key] !== $row[$this->take] ? false : $row[$this->take];
            }
            if (count($values) > self::MOST) {
                throw QueryTrouble::tooMany($this->table, self::MOST);
            }
        }

        return $values;
    }
}
