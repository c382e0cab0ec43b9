<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Capture\Log\Begin;
use Lighterman\Core\Capture\Log\Commit;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Mark;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Capture\Log\Truncated;
use Lighterman\Core\Capture\Log\Unclear;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Trouble\SystemTrouble;

/** Reads a change log message by message. The source keeps its log until confirm() says that it may be forgotten. */
interface LogReader
{
    /**
     * @param  int  $wait  milliseconds to wait when there is nothing
     * @return Begin|Commit|Relation|LoggedRow|Truncated|Unclear|Mark|null null when there is nothing more for now
     *
     * @throws SystemTrouble
     */
    public function next(int $wait): Begin|Commit|Relation|LoggedRow|Truncated|Unclear|Mark|null;

    /** Bytes of the last message. */
    public function size(): int;

    public function confirm(Place $to): void;

    /** Milliseconds spent so far waiting for the source to have something. */
    public function waited(): float;

    /** Seconds since the source last heard from this reader. */
    public function silence(): float;

    public function close(): void;
}
