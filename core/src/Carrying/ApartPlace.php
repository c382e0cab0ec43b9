<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

/** Where a record that is set aside came from. */
final readonly class ApartPlace
{
    /**
     * @param  int  $run  Lighterman's number of it
     * @param  int  $sequence  of the receipt that it would have landed with
     * @param  string  $position  of the batch, or the place of its transaction, or the path of its file
     * @param  int  $number  within its transaction, or of its line
     * @param  string  $kind  row, load, insert, update, delete, line, or file for a file as a whole
     * @param  int|null  $at  when the change was committed, microseconds since 1970 UTC; null where it is none
     */
    public function __construct(public int $run, public int $sequence, public string $position, public int $number = 0, public string $kind = 'row', public ?int $at = null)
    {
    }
}
