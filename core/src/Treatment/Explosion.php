<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Treatment\Value\Fault;

/** Makes the records of rows: of a row whose list becomes rows one for each element, else itself. */
final readonly class Explosion
{
    public function __construct(private ?Explode $explode, private Shape $carried)
    {
    }

    /**
     * @param  list<string|false|null>  $row  as carried
     * @return list<list<string|false|null>>
     *
     * @throws Fault where the list cannot be read
     */
    public function records(array $row): array
    {
        return $this->explode === null ? [$row] : $this->explode->rows($row, $this->carried);
    }

    /**
     * The records of what was set aside: one that failed by itself, or those of a row that failed whole and so has no place in a list.
     *
     * @param  list<string|false|null>  $kept  as treated
     * @return list<list<string|false|null>>
     *
     * @throws Fault where the list cannot be read
     */
    public function again(array $kept): array
    {
        return $this->explode === null || $kept[count($kept) - 1] !== null ? [$kept] : $this->records(array_slice($kept, 0, -1));
    }

    /**
     * Lines of records out of lines of rows.
     *
     * @param  callable(list<string|null>, Fault, int): mixed  $failed  takes rows whose list cannot be read, which fail whole, with their place
     */
    public function lines(string $encoded, callable $failed): string
    {
        if ($this->explode === null) {
            return $encoded;
        }
        $lines = '';
        foreach (explode("\n", substr($encoded, 0, -1)) as $n => $line) {
            $row = CopyText::row($line);
            try {
                $lines .= implode('', array_map(CopyText::line(...), $this->records($row)));
            } catch (Fault $fault) {
                $failed($row, $fault, $n);
            }
        }

        return $lines;
    }
}
