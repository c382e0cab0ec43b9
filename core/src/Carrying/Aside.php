<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Position\FileMark;
use Lighterman\Core\Record\Unreadable;
use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Treatment\Apart;

/** Where the records of one feed are kept that do not land. */
interface Aside
{
    /** @param  int  $landed  number of the last receipt that stands in the target; what was written down with later ones never happened */
    public function begin(int $landed): void;

    public function add(Apart $apart, ApartPlace $from): void;

    /**
     * A record with a value that the target cannot hold.
     *
     * @param  list<string|false|null>  $row
     */
    public function addUnwritable(array $row, Unwritable $why, ApartPlace $from): void;

    /**
     * A line of a file, or a file, that rows could not be made of.
     *
     * @param  list<string>  $carried  columns of its row
     * @param  int  $run  Lighterman's number of it
     * @param  int  $sequence  of the receipt that it would have landed with
     */
    public function addUnreadable(Unreadable $unreadable, array $carried, int $run, int $sequence): void;

    /**
     * Files that a unit takes: what waited of an earlier reading of them whole is settled with it.
     *
     * @param  list<FileMark>  $files
     */
    public function taken(array $files, int $sequence): void;

    /** Everything that waits is of an older reading of the whole table. */
    public function overtakeAll(int $sequence): void;

    /** Makes durable what was added. */
    public function flush(): void;

    /** Whether a newer version of a row may overtake one that waits. */
    public function anyWaiting(): bool;

    public function isWaiting(string $hash): bool;

    /**
     * One text for each key of the source.
     *
     * @param  list<string|false|null>  $row  in the order of the carried columns
     */
    public function hash(array $row): string;

    /**
     * The latest of the waiting records with a key, as it was read.
     *
     * @return list<string|false|null>
     */
    public function lastOf(string $hash): array;

    /**
     * A newer version of these rows is about to land: what waits of them must never be landed after it.
     *
     * @param  list<string>  $hashes
     */
    public function overtake(array $hashes, int $sequence): void;
}
