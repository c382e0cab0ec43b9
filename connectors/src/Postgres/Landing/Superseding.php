<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * Ends sessions of workers that a newer one has taken over from. One that was stopped in the middle of a landing holds its
 * locks for as long as it stands still, and could commit nothing any more.
 */
final readonly class Superseding
{
    public function __construct(private Connection $connection)
    {
    }

    /**
     * Marks the session as the holder's, and ends those of holders before it.
     *
     * @param  string  $what  lasting id of a feed or a route, at most 36 characters
     */
    public function take(string $what, int $token): void
    {
        // A role may end sessions of its own. Names of sessions are cut after 63 bytes.
        $this->connection->run(<<<'SQL'
            SELECT set_config('application_name', 'lighterman lands ' || $1::text || ' ' || $2::text, false),
                   (SELECT count(pg_terminate_backend(pid)) FROM pg_stat_activity
                    WHERE datname = current_database() AND usename = current_user AND pid <> pg_backend_pid()
                      AND starts_with(application_name, 'lighterman lands ' || $1::text || ' ') AND substr(application_name, length('lighterman lands ' || $1::text || ' ') + 1)::numeric < $2::numeric)
            SQL, [substr($what, 0, 36), $token]);
    }

    /**
     * Why a session was lost: who was taken over from is told that, and not that a connection broke.
     *
     * @throws LeaseLost|SystemTrouble
     */
    public function told(SystemTrouble $trouble, string $what, int $token): never
    {
        if ($trouble->reason === Reason::ConnectionLost) {
            try {
                $newest = (int) $this->connection->value('SELECT token FROM lighterman.position WHERE feed = $1', [$what]);
            } catch (SystemTrouble) {
                throw $trouble;
            }
            if ($newest > $token) {
                throw LeaseLost::to($newest, $token);
            }
        }
        throw $trouble;
    }
}
