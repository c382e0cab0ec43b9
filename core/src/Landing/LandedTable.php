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
     * @param  bool  $bringsChanges  whether changes land, and not rows that a query found
     * @param  array<string, string>  $stamps  stamped column by what it holds
     * @param  bool  $takeOver  whether rows that Lighterman did not land may be written over
     * @param  TableName  $source  for messages
     * @param  array<string, self>  $forks  further tables that records land in instead, by the name of the fork that they take
     * @param  list<Partition>  $partitionBy  folders that its files are parted into, from the outermost; only where rows are kept in files
     * @param  bool  $takesRest  whether records land in it at all, and not only in those of forks
     * @param  bool  $repeats  whether a key may come several times in one unit, so that the last row counts
     * @param  FileWriting  $writing  how its files are written; only where rows are kept in files
     */
    public function __construct(
        public TableName $name,
        public Shape $shape,
        public array $key,
        public Landing $landing,
        public bool $bringsChanges,
        public Deletes $deletes,
        public array $stamps,
        public bool $takeOver,
        public TableName $source,
        public array $forks = [],
        public bool $takesRest = true,
        public array $partitionBy = [],
        public bool $repeats = false,
        public FileWriting $writing = new FileWriting,
    ) {
    }

    /** @return array<string, self> the tables that records land in: by fork, the feed's own with an empty name */
    public function tables(): array
    {
        return ($this->takesRest ? ['' => $this] : []) + $this->forks;
    }

    /** @return array<string, Column> the columns that the table has besides those of a record, by what they hold */
    public function technical(): array
    {
        $columns = [];
        foreach ($this->stamps as $stamp => $name) {
            $columns[$stamp] = Technical::from($stamp)->column($name);
        }
        foreach ($this->bringsChanges ? Technical::of($this->landing, $this->deletes) : [] as $needed) {
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
        return ! $this->takeOver && ($this->landing === Landing::Versions || ($this->landing === Landing::Upsert && $this->deletes !== Deletes::Ignore));
    }

    /** @return list<string> the columns that tell landed rows apart; empty where nothing does */
    public function rowKey(): array
    {
        return match ($this->landing) {
            Landing::Append => [],
            Landing::Versions => [...$this->key, $this->technical()['source_position']->name],
            default => $this->key,
        };
    }
}
