<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Log;

use Lighterman\Core\Capture\Log\Begin;
use Lighterman\Core\Capture\Log\Commit;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Mark;
use Lighterman\Core\Capture\Log\PgOutput;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Capture\Log\Truncated;
use Lighterman\Core\Port\LogReader;
use Lighterman\Core\Position\LogPlace;
use Lighterman\Core\Position\Place;

/** A replication slot read through the `pgoutput` decoder. */
final class PostgresLogReader implements LogReader
{
    private readonly PgOutput $decoder;

    private int $size = 0;

    public function __construct(private readonly ReplicationStream $stream)
    {
        $this->decoder = new PgOutput;
    }

    public function next(int $wait): Begin|Commit|Relation|LoggedRow|Truncated|Mark|null
    {
        do {
            $message = $this->stream->next($wait);
            if ($message === null) {
                return null;
            }
            $this->size = strlen($message);
            $decoded = $this->decoder->decode($message);
        } while ($decoded === null);

        return $decoded;
    }

    public function size(): int
    {
        return $this->size;
    }

    public function confirm(Place $to): void
    {
        $to instanceof LogPlace && $this->stream->confirm($to->byte);
    }

    public function waited(): float
    {
        return $this->stream->waited;
    }

    public function silence(): float
    {
        return $this->stream->silence();
    }

    public function close(): void
    {
        $this->stream->close();
    }
}
