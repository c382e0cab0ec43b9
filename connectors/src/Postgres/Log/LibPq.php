<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Log;

use FFI;
use FFI\CData;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * The few functions of PostgreSQL's own client library that PHP's extension does not offer: reading and answering a
 * stream of the replication protocol.
 *
 * @see https://www.postgresql.org/docs/15/libpq-copy.html
 */
final class LibPq
{
    private const DECLARATIONS = <<<'C'
        typedef struct pg_conn PGconn;
        typedef struct pg_result PGresult;
        struct pollfd { int fd; short events; short revents; };
        PGconn *PQconnectdb(const char *conninfo);
        int PQstatus(const PGconn *conn);
        char *PQerrorMessage(const PGconn *conn);
        PGresult *PQexec(PGconn *conn, const char *query);
        PGresult *PQgetResult(PGconn *conn);
        int PQresultStatus(const PGresult *res);
        char *PQresultErrorField(const PGresult *res, int fieldcode);
        void PQclear(PGresult *res);
        int PQsocket(const PGconn *conn);
        int PQconsumeInput(PGconn *conn);
        int PQgetCopyData(PGconn *conn, char **buffer, int async);
        int PQputCopyData(PGconn *conn, const char *buffer, int nbytes);
        int PQflush(PGconn *conn);
        void PQfreemem(void *ptr);
        void PQfinish(PGconn *conn);
        int poll(struct pollfd *fds, unsigned long nfds, int timeout);
        C;

    private static ?FFI $library = null;

    public static function make(string $type): CData
    {
        return self::load()->new($type) ?? throw new FFI\Exception("{$type} could not be made.");
    }

    /** @throws SystemTrouble if the library cannot be loaded */
    public static function load(): FFI
    {
        try {
            return self::$library ??= FFI::cdef(self::DECLARATIONS, 'libpq.so.5');
        } catch (FFI\Exception $e) {
            throw MissingTrouble::tool(Reason::NoLibpq, 'libpq', "PostgreSQL's client library could not be loaded: {$e->getMessage()}.", 'Install libpq5, and let ffi.enable be on or preload for the command line.');
        }
    }
}
