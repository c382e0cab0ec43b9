<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

use Lighterman\Core\Shape\TableName;

/** Where the records of a feed land, and how. */
final readonly class Destination
{
    /**
     * @param  Deletes  $deletes  what a captured delete does, for landing `upsert`
     * @param  Truncates  $truncates  what happens when a captured table is emptied at once
     * @param  bool  $takeOver  whether a landed table that Lighterman did not create, and that has rows, may be written to
     * @param  list<Partition>  $partitionBy  folders that the landed files are parted into, from the outermost; only for targets that keep files
     * @param  FileWriting  $writing  how landed files are written; only for targets that keep files
     */
    public function __construct(
        public TableName $table,
        public Landing $landing,
        public Deletes $deletes = Deletes::Apply,
        public Truncates $truncates = Truncates::Hold,
        public Stamps $stamps = new Stamps,
        public bool $takeOver = false,
        public array $partitionBy = [],
        public FileWriting $writing = new FileWriting,
    ) {
    }
}
