<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Triggers;

/** One change as a trigger wrote it down. */
final readonly class StoredChange
{
    /**
     * @param  string  $unit  changes that follow each other with the same unit land together
     * @param  string  $table  schema and name
     * @param  'insert'|'update'|'delete'|'truncate'|'unclear'  $kind  unclear where the rows cannot be told
     * @param  string  $shape  tells two descriptions of the table apart
     * @param  int  $at  when it was made, or committed where that is known; microseconds since 1970 UTC
     */
    public function __construct(
        public string $unit,
        public string $table,
        public string $kind,
        public string $shape,
        public Images $images,
        public int $at,
        public int $bytes,
    ) {
    }
}
