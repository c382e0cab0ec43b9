<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use Lighterman\Core\Shape\Column;

/** What a table's data and catalogue say about one column. */
final readonly class ColumnFacts
{
    /**
     * @param  int  $nulls  rows without a value
     * @param  int  $ahead  rows whose value lies in the future by the source's clock, infinity among them (moments and dates)
     * @param  bool  $indexed  whether an index begins with this column
     * @param  bool  $unique  whether a unique index holds this column alone
     * @param  bool  $insertOnly  whether the source itself gives the value once, at insert (identity, sequence)
     * @param  Outrun|null  $outrun  by the column that is later in the most rows; null where none is
     * @param  int  $sequenceCache  values a session of the source reserves at once; above 1 they may be committed out of order
     */
    public function __construct(
        public Column $column,
        public int $nulls,
        public int $ahead = 0,
        public bool $indexed = false,
        public bool $unique = false,
        public bool $insertOnly = false,
        public ?Outrun $outrun = null,
        public int $sequenceCache = 1,
    ) {
    }
}
