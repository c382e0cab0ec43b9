<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Capture\Log\Begin;
use Lighterman\Core\Capture\Log\Commit;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Mark;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Capture\Log\Truncated;

/** Reads a change log message by message. The source keeps its log until confirm() says that it may be forgotten. */
interface LogReader
{
    /**
     * @param  int  $wait  milliseconds to wait when there is nothing
     * @return Begin|Commit|Relation|LoggedRow|Truncated|Mark|null null when there is nothing more for now
     *
     * @throws SystemTrouble
     */
    public function next(int $wait): Begin|Commit|Relation|LoggedRow|Truncated|Mark|null;

    /** Bytes of the last message. */
    public function size(): int;

    public function confirm(int $lsn): void;

    /** Place up to which the source says that there is nothing to read, by its last word; 0 before it. */
    public function readableTo(): int;

    /** The source's clock at its last word, microseconds since 1970 UTC. */
    public function sourceClock(): int;

    /** Seconds since the source last heard from this reader. */
    public function silence(): float;

    public function close(): void;
}
