<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Treatment\Fork;
use Lighterman\Core\Treatment\Outcome;
use Lighterman\Core\Treatment\Treater;

/** Where a record would land, and as what. Nothing is counted by looking. */
final readonly class LandsAs
{
    /**
     * @param  string  $fork  that takes it; empty for the feed's own table
     * @param  list<string|false|null>  $row  false for what was not sent
     */
    private function __construct(public LandedTable $table, public string $fork, public array $row)
    {
    }

    /**
     * @param  Treater|null  $treater  null where nothing is done to records
     * @param  list<string|false|null>  $record  as it was read
     * @return self|null null for one that does not land
     */
    public static function of(?Treater $treater, LandedTable $own, array $record): ?self
    {
        if ($treater === null) {
            return new self($own, '', $record);
        }
        $judged = $treater->look($record);
        if (! in_array($judged->outcome(), [null, Outcome::Warn], true) || $judged->fork === Fork::DROPPED) {
            return null;
        }
        $fork = $judged->fork === null || $judged->fork < 0 ? '' : array_keys($own->forks->tables)[$judged->fork];

        return new self($fork === '' ? $own : $own->forks->tables[$fork], $fork, $judged->landed());
    }

    /** @return array<string, string> the columns that tell it from other rows; empty where something of them is not known */
    public function key(): array
    {
        $key = KeyOf::columns($this->table->shape->names(), $this->table->key);

        return $this->table->key === [] || ! $key->isSaid($this->row) ? [] : array_combine($this->table->key, $key->values($this->row));
    }
}
