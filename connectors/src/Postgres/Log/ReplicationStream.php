<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Log;

use FFI;
use FFI\CData;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Trouble;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\Log\PgOutput;
use Lighterman\Core\Position\LogPlace;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * One reading of a replication slot, by the streaming replication protocol.
 *
 * The server sends what is committed from the start position on, and keeps its log until confirm() has said that it may
 * be forgotten. Nothing is confirmed by itself.
 *
 * @see https://www.postgresql.org/docs/15/protocol-replication.html
 */
final class ReplicationStream
{
    private const CONNECTION_OK = 0;

    private const COPY_BOTH = 8;

    private const SQLSTATE = 67;

    private const MESSAGE = 77;

    private const POLLIN = 1;

    /** Bytes before what the plug-in says. */
    private const HEAD = 25;

    private const LARGE = 1 << 20;

    private ?CData $connection = null;

    private readonly FFI $pq;

    /** Reused for every message, since making one costs more than reading it. */
    private readonly CData $buffer;

    /** Milliseconds spent waiting for the server so far. */
    public float $waited = 0.0;

    private int $confirmed = 0;

    private float $saidAt = 0.0;

    private function __construct(private readonly PostgresSettings $settings)
    {
        $this->pq = LibPq::load();
        $this->buffer = LibPq::make('char*');
    }

    /**
     * @param  LogPlace  $from  to go on from; what was confirmed before is never sent again
     *
     * @throws SystemTrouble
     */
    public static function start(PostgresSettings $settings, string $slot, string $publication, LogPlace $from): self
    {
        $stream = new self($settings);
        $stream->open($slot, $publication, $from);

        return $stream;
    }

    private function open(string $slot, string $publication, LogPlace $from): void
    {
        $conninfo = $this->settings->conninfo('lighterman log', Connection::options(readOnly: false).' -c TimeZone=UTC')." replication='database'";
        $this->connection = $this->pq->PQconnectdb($conninfo);
        if ($this->pq->PQstatus($this->connection) !== self::CONNECTION_OK) {
            $said = FFI::string($this->pq->PQerrorMessage($this->connection));
            $this->close();
            throw Trouble::connecting($this->settings, $said);
        }
        $this->confirmed = $from->byte;
        $sql = sprintf("START_REPLICATION SLOT %s LOGICAL %s (proto_version '1', publication_names %s, messages 'true')", Quoted::name($slot), $from->label(), Quoted::literal(Quoted::name($publication)));
        $result = $this->pq->PQexec($this->connection, $sql);
        $status = $this->pq->PQresultStatus($result);
        if ($status !== self::COPY_BOTH) {
            $trouble = $this->trouble($result);
            $this->pq->PQclear($result);
            $this->close();
            throw $trouble;
        }
        $this->pq->PQclear($result);
        $this->saidAt = SteadyClock::seconds();
    }

    /**
     * The next message of the plug-in.
     *
     * @param  int  $wait  milliseconds to wait for one
     * @return string|null null when there is none for now
     *
     * @throws SystemTrouble when the connection is lost or the server ends the stream
     */
    public function next(int $wait): ?string
    {
        $pq = $this->pq;
        $until = $wait > 0 ? SteadyClock::seconds() + $wait / 1000 : 0.0;
        while (true) {
            $length = $pq->PQgetCopyData($this->connection, FFI::addr($this->buffer), 1);
            if ($length > 0) {
                // A large message is copied once only; for others that would take longer. Only data is large.
                $large = $length > self::LARGE;
                $message = $large ? FFI::string(FFI::addr($this->buffer[self::HEAD]), max(0, (int) $length - self::HEAD)) : FFI::string($this->buffer, $length);
                $pq->PQfreemem($this->buffer);
                if ($large || $message[0] === 'w') {
                    return $large ? $message : substr($message, self::HEAD);
                }
                $this->keepalive($message);

                continue;
            }
            if ($length < 0) {
                throw $this->ended();
            }
            $left = $until === 0.0 ? 0 : (int) ceil(($until - SteadyClock::seconds()) * 1000);
            if (! $this->wait(max(0, $left)) && $left <= 0) {
                return null;
            }
        }
    }

    /** Lets the server forget its log up to a byte. */
    public function confirm(int $byte): void
    {
        $this->confirmed = max($this->confirmed, $byte);
        $this->answer();
    }

    /** Seconds since the server last heard from us; it ends the stream after its wal_sender_timeout (a minute by default). */
    public function silence(): float
    {
        return SteadyClock::seconds() - $this->saidAt;
    }

    public function close(): void
    {
        if ($this->connection !== null) {
            $this->pq->PQfinish($this->connection);
            $this->connection = null;
        }
    }

    /** @return bool whether something arrived */
    private function wait(int $milliseconds): bool
    {
        $fd = LibPq::make('struct pollfd');
        $fd->fd = $this->pq->PQsocket($this->connection);
        $fd->events = self::POLLIN;
        $clock = hrtime(true);
        $ready = $this->pq->poll(FFI::addr($fd), 1, $milliseconds);
        $this->waited += (hrtime(true) - $clock) / 1e6;
        if ($ready <= 0) {
            return false;
        }
        if ($this->pq->PQconsumeInput($this->connection) === 0) {
            throw Trouble::lost($this->settings, '');
        }

        return true;
    }

    private function keepalive(string $message): void
    {
        // Byte 17 says whether the server wants an answer now.
        if (ord($message[17] ?? "\1") === 1) {
            $this->answer();
        }
    }

    /** Standby status update: written, flushed and applied are all what was confirmed. */
    private function answer(): void
    {
        $this->saidAt = SteadyClock::seconds();
        $now = SteadyClock::micros() - PgOutput::EPOCH;
        $status = 'r'.pack('JJJJC', $this->confirmed, $this->confirmed, $this->confirmed, $now, 0);
        if ($this->pq->PQputCopyData($this->connection, $status, strlen($status)) < 0 || $this->pq->PQflush($this->connection) < 0) {
            throw Trouble::lost($this->settings, '');
        }
    }

    private function ended(): SystemTrouble
    {
        $result = $this->pq->PQgetResult($this->connection);
        if ($result === null) {
            return Trouble::lost($this->settings, '');
        }
        $trouble = $this->trouble($result);
        $this->pq->PQclear($result);

        return $trouble;
    }

    private function trouble(CData $result): SystemTrouble
    {
        $field = fn (int $code): string => ($said = $this->pq->PQresultErrorField($result, $code)) === null ? '' : FFI::string($said);
        $state = $field(self::SQLSTATE);
        if ($this->pq->PQstatus($this->connection) !== self::CONNECTION_OK || $state === '') {
            return Trouble::lost($this->settings, $state);
        }

        return Trouble::fromState($this->settings, $state, $field(self::MESSAGE), '', reads: true);
    }
}
