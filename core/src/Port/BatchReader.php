<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Record\Batch;
use Lighterman\Core\Trouble\SystemTrouble;

/** Reads what a plan names, batch by batch, at most about 4 MB of encoded rows at a time. */
interface BatchReader
{
    /**
     * @return Batch|null null once everything planned was read
     *
     * @throws SystemTrouble
     */
    public function next(): ?Batch;

    /** Lets go of whatever the reading holds at the source. Safe to call twice. */
    public function close(): void;
}
