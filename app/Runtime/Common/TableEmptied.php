<?php

declare(strict_types=1);

namespace App\Runtime\Common;

use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Act;
use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\Remedy;
use RuntimeException;

/** The source table was truncated, and the feed is to ask before it follows. */
final class TableEmptied extends RuntimeException implements Explained
{
    public static function at(TableName $table, string $when): self
    {
        return new self("{$table} was emptied at the source (truncate) at {$when}.");
    }

    public function remedy(): Remedy
    {
        return new Remedy('Decide whether the copy is emptied too or keeps its rows. Changes made since then wait in the spool; nothing is lost.', Act::DecideEmptied);
    }

    public function mayPass(): bool
    {
        return false;
    }
}
