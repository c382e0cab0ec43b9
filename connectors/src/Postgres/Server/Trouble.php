<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Server;

use Lighterman\Core\Trouble\ConnectionTrouble;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\PrivilegeTrouble;
use Lighterman\Core\Trouble\StatementTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * Turns what PostgreSQL and libpq say into errors that name the thing and the remedy.
 *
 * Only the primary message is passed on: details and contexts quote rows.
 *
 * @see https://www.postgresql.org/docs/15/errcodes-appendix.html
 */
final class Trouble
{
    public static function connecting(PostgresSettings $at, string $said): SystemTrouble
    {
        return match (true) {
            (bool) preg_match('/could not translate host name|Name or service not known|Temporary failure in name/i', $said) => ConnectionTrouble::unknownHost($at->system, $at->host),
            (bool) preg_match('/Connection refused|No such file or directory/i', $said) => ConnectionTrouble::closedPort($at->system, $at->host, $at->port),
            (bool) preg_match('/timeout expired|timed out|No route to host|Network is unreachable/i', $said) => ConnectionTrouble::unreachable($at->system, $at->host),
            (bool) preg_match('/password authentication failed|no password supplied|authentication failed/i', $said) => ConnectionTrouble::wrongPassword($at->system, $at->user),
            (bool) preg_match('/role "[^"]*" does not exist/i', $said) => ConnectionTrouble::unknownUser($at->system, $at->user),
            (bool) preg_match('/database "[^"]*" does not exist/i', $said) => ConnectionTrouble::noDatabase($at->system, $at->database, "{$at->host}:{$at->port}"),
            (bool) preg_match('/permission denied for database/i', $said) => PrivilegeTrouble::at($at->system, $at->user, "{$at->system}: user {$at->user} may not connect to database {$at->database}.", Privilege::remedy($at, "permission denied for database {$at->database}", '', reads: true)),
            (bool) preg_match('/start wal ?sender/i', $said) => PrivilegeTrouble::at($at->system, $at->user, "{$at->system}: user {$at->user} may not read the change log.", Privilege::remedy($at, 'replication', '', reads: true)),
            (bool) preg_match('/no pg_hba.conf entry/i', $said) => ConnectionTrouble::notAdmitted($at->system, $at->user, " to {$at->database}", 'Have a line for this machine, user and database added to pg_hba.conf, or turn TLS on if the line demands it.'),
            (bool) preg_match('/SSL|certificate/i', $said) => ConnectionTrouble::tls($at->system, $at->tls),
            (bool) preg_match('/too many (connections|clients)|remaining connection slots/i', $said) => ConnectionTrouble::full($at->system),
            (bool) preg_match('/starting up|shutting down|recovery mode|not currently accepting/i', $said) => ConnectionTrouble::starting($at->system, $at->database),
            default => ConnectionTrouble::otherwise($at->system, $at->place()),
        };
    }

    public static function lost(PostgresSettings $at, string $state): SystemTrouble
    {
        return ConnectionTrouble::lost($at->system, $at->place(), $state === '57P01' ? ' An administrator ended it.' : '');
    }

    /**
     * @param  string  $refused  the statement that failed
     * @param  bool  $reads  whether nothing is ever written there
     */
    public static function fromState(PostgresSettings $at, string $state, string $message, string $refused, bool $reads): SystemTrouble
    {
        $said = "{$at->system}: ".($message === '' ? 'the server reported an error' : $message);
        $class = substr($state, 0, 2);

        return match (true) {
            $state === '42P01' => MissingTrouble::tableSaid($at->system, $said, "Check its name; it may have been dropped or renamed, or not be visible to {$at->user}."),
            $state === '42703' => MissingTrouble::columnSaid($at->system, $said),
            $state === '42501' => PrivilegeTrouble::at($at->system, $at->user, "{$said} (user {$at->user}).", Privilege::remedy($at, $message, $refused, $reads)),
            $state === '25006' => PrivilegeTrouble::onlyReading($at->system, $said),
            $state === '53100' => StatementTrouble::diskFull($at->system, $said, $at->system),
            $state === '57014' => StatementTrouble::cancelled($at->system, $said),
            in_array($class, ['08', '53', '57', '58', '40', '55'], true) => StatementTrouble::busy($at->system, $said),
            // Also where one statement would write a row of a key twice.
            in_array($state, ['23505', '21000'], true) => StatementTrouble::sameKey($at->system, $said),
            $class === '23' => StatementTrouble::constraint($at->system, $said),
            $class === '22' => StatementTrouble::value($at->system, $said),
            default => StatementTrouble::refused($at->system, $said, $state === '' ? '' : "SQLSTATE {$state}"),
        };
    }
}
