<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;

/** The table that a feed lands in, as far as a target needs to know it. */
final readonly class LandedTable
{
    /**
     * @param  Shape  $shape  the columns of a landed record, in order
     * @param  list<string>  $key  columns that tell records apart; empty where nothing does
     * @param  Destination  $as  how its feed lands; a fork's table has a name of its own
     * @param  TableName  $source  for messages
     * @param  Forks  $forks  further tables that records land in instead
     * @param  string|null  $place  the last column of the key, where records are elements of lists that are kept by it: the place in the list, from 1, and 0 for one without elements
     */
    public function __construct(
        public TableName $name,
        public Shape $shape,
        public array $key,
        public Destination $as,
        public Arriving $arriving,
        public TableName $source,
        public Forks $forks = new Forks,
        public ?string $place = null,
    ) {
    }

    /** @return list<string> the columns that tell apart the rows that records come from: without an element's place in its list */
    public function recordKey(): array
    {
        return array_values(array_diff($this->key, [$this->place]));
    }

    /** Whether changes land, and not rows that a query found. */
    public function bringsChanges(): bool
    {
        return $this->arriving === Arriving::Changes;
    }

    /** Whether a key may come several times in one unit, so that the last row counts. */
    public function repeats(): bool
    {
        return $this->arriving === Arriving::RepeatedRows;
    }

    /** @return array<string, self> the tables that records land in: by fork, the feed's own with an empty name */
    public function tables(): array
    {
        return ($this->forks->takesRest ? ['' => $this] : []) + $this->forks->tables;
    }

    /** @return array<string, Column> the columns that the table has besides those of a record, by what they hold */
    public function technical(): array
    {
        $columns = [];
        foreach ($this->as->stamps->wanted() as $stamp => $name) {
            $columns[$stamp] = Technical::from($stamp)->column($name);
        }
        foreach ($this->bringsChanges() ? $this->as->landing->technical($this->as->deletes) : [] as $needed) {
            $columns[$needed->value] ??= $needed->column();
        }

        return $columns;
    }

    /** @return list<Column> every column of the table, those of a record first */
    public function columns(): array
    {
        return [...$this->shape->columns, ...array_values($this->technical())];
    }

    /**
     * Whether rows that a load of the whole source table does not bring are gone there, and leave. A landed table that was there
     * before may hold rows that never came from the source.
     */
    public function isSwept(): bool
    {
        return ! $this->as->takeOver && ($this->as->landing->keepsVersions() || ($this->as->landing->merges() && $this->as->deletes !== Deletes::Ignore));
    }

    /** @return list<string> the columns that tell landed rows apart; empty where nothing does */
    public function rowKey(): array
    {
        return $this->as->landing->rowKey($this->key, ($this->technical()['source_position'] ?? null)->name ?? '');
    }
}
