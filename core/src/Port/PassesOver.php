<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;

/** A source in which there may be what belongs to a table by its place, and is never read. */
interface PassesOver
{
    /**
     * @return array<string, string> why, by name; at most 100
     *
     * @throws SystemTrouble
     */
    public function passedOver(TableName $table): array;
}
