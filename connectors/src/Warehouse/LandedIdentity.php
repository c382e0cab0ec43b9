<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\LandedTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * What the catalogue called a landed table when it was landed in last, and what it calls it now: the number of the table,
 * of the file that holds its rows, and of each column.
 */
final readonly class LandedIdentity
{
    /** @param  string  $was  the three, with a stroke between them; the columns as JSON, numbers by name */
    public function __construct(private string $was, private ?string $now)
    {
    }

    /** Whether only the file is another one, as after VACUUM FULL and TRUNCATE alike. */
    public function isRewritten(): bool
    {
        return $this->trouble('', new TableName('', '')) === null && $this->part($this->was, 1) !== $this->part((string) $this->now, 1);
    }

    /** @return SystemTrouble|null null when rows that had landed may still be there */
    public function trouble(string $system, TableName $landed): ?SystemTrouble
    {
        if ($this->now === null) {
            return LandedTrouble::gone($system, $landed);
        }
        if ($this->part($this->was, 0) !== $this->part($this->now, 0)) {
            return LandedTrouble::replaced($system, $landed);
        }
        $now = $this->columns($this->now);
        foreach ($this->columns($this->was) as $column => $number) {
            if (isset($now[$column]) && $now[$column] !== $number) {
                return LandedTrouble::column($system, $landed, $column);
            }
        }

        return null;
    }

    private function part(string $identity, int $part): string
    {
        return explode('/', $identity, 3)[$part];
    }

    /** @return array<string, int> */
    private function columns(string $identity): array
    {
        return (array) json_decode($this->part($identity, 2), true, 4, JSON_THROW_ON_ERROR);
    }
}
