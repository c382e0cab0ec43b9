<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Server;

use Lighterman\Connectors\Connecting;
use Lighterman\Core\Trouble\Reason;
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
            (bool) preg_match('/could not translate host name|Name or service not known|Temporary failure in name/i', $said) => Connecting::unknownHost($at->system, $at->host),
            (bool) preg_match('/Connection refused|No such file or directory/i', $said) => Connecting::closedPort($at->system, $at->host, $at->port),
            (bool) preg_match('/timeout expired|timed out|No route to host|Network is unreachable/i', $said) => Connecting::unreachable($at->system, $at->host),
            (bool) preg_match('/password authentication failed|no password supplied|authentication failed/i', $said) => Connecting::wrongPassword($at->system, $at->user),
            (bool) preg_match('/role "[^"]*" does not exist/i', $said) => SystemTrouble::lasting(Reason::UnknownUser, "{$at->system}: the server knows no user {$at->user}.", 'Check the user\'s name, or have the account created.'),
            (bool) preg_match('/database "[^"]*" does not exist/i', $said) => Connecting::noDatabase($at->system, $at->database, "{$at->host}:{$at->port}"),
            (bool) preg_match('/permission denied for database/i', $said) => SystemTrouble::lasting(Reason::NoPrivilege, "{$at->system}: user {$at->user} may not connect to database {$at->database}.", Privilege::remedy($at, "permission denied for database {$at->database}", '', reads: true)),
            (bool) preg_match('/start wal ?sender/i', $said) => SystemTrouble::lasting(Reason::NoPrivilege, "{$at->system}: user {$at->user} may not read the change log.", Privilege::remedy($at, 'replication', '', reads: true)),
            (bool) preg_match('/no pg_hba.conf entry/i', $said) => SystemTrouble::lasting(Reason::NotAdmitted, "{$at->system}: the server admits no connection of {$at->user} to {$at->database} from this machine.", 'Have a line for this machine, user and database added to pg_hba.conf, or turn TLS on if the line demands it.'),
            (bool) preg_match('/SSL|certificate/i', $said) => Connecting::tls($at->system, $at->tls),
            (bool) preg_match('/too many (connections|clients)|remaining connection slots/i', $said) => Connecting::full($at->system),
            (bool) preg_match('/starting up|shutting down|recovery mode|not currently accepting/i', $said) => SystemTrouble::passing(Reason::Starting, "{$at->system}: the server is up, but admits nobody to {$at->database} at this moment.", 'Lighterman tries again until it is ready.'),
            default => Connecting::otherwise($at->system, $at->place()),
        };
    }

    public static function lost(PostgresSettings $at, string $state): SystemTrouble
    {
        return Connecting::lost($at->system, $at->place(), $state === '57P01' ? ' An administrator ended it.' : '');
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
            $state === '42P01' => SystemTrouble::lasting(Reason::NoTable, "{$said}.", 'Check its name; it may have been dropped or renamed, or not be visible to '.$at->user.'.'),
            $state === '42703' => SystemTrouble::lasting(Reason::NoColumn, "{$said}.", 'Check its name; it may have been dropped or renamed.'),
            $state === '42501' => SystemTrouble::lasting(Reason::NoPrivilege, "{$said} (user {$at->user}).", Privilege::remedy($at, $message, $refused, $reads)),
            $state === '25006' => SystemTrouble::lasting(Reason::ReadOnly, "{$said}.", 'Only statements that read are allowed here.'),
            $state === '53100' => SystemTrouble::passing(Reason::DiskFull, "{$said}.", "Free space on the disk of {$at->system}. Nothing of the batch was kept; Lighterman tries again."),
            $state === '57014' => SystemTrouble::lasting(Reason::Cancelled, "{$said}.", 'The statement ran into its time limit or was cancelled. Narrow it, or raise the limit.'),
            in_array($class, ['08', '53', '57', '58', '40', '55'], true) => SystemTrouble::passing(Reason::Busy, "{$said}.", 'Lighterman tries again.'),
            $state === '23505' => SystemTrouble::lasting(Reason::DuplicateKey, "{$said}.", 'Two rows have the same key. Check the feed\'s key, and the landed table\'s unique indexes.'),
            $class === '23' => SystemTrouble::lasting(Reason::Constraint, "{$said}.", 'The landed table has a constraint that the row does not meet. Drop the constraint, or land elsewhere.'),
            $class === '22' => SystemTrouble::lasting(Reason::Value, "{$said}.", 'A value does not fit the column. Compare the column\'s types on both sides.'),
            default => SystemTrouble::lasting(Reason::Refused, "{$said}".($state === '' ? '.' : " (SQLSTATE {$state})."), 'Correct what the message names and try again.'),
        };
    }
}
