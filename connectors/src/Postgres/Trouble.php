<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres;

use Lighterman\Core\Port\SystemTrouble;

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
        $system = "{$at->system} ({$at->place()})";

        return match (true) {
            (bool) preg_match('/could not translate host name|Name or service not known|Temporary failure in name/i', $said) => SystemTrouble::passing('unknown_host', "{$at->system}: the host name {$at->host} cannot be resolved.", 'Check the spelling of the host, and that this machine\'s name service knows it.'),
            (bool) preg_match('/Connection refused|No such file or directory/i', $said) => SystemTrouble::passing('closed_port', "{$at->system}: nothing answers on port {$at->port} of {$at->host}.", 'Check that the server is running, that it listens on this address, and the port.'),
            (bool) preg_match('/timeout expired|timed out|No route to host|Network is unreachable/i', $said) => SystemTrouble::passing('unreachable', "{$at->system}: {$at->host} does not answer within 5 s.", 'Check the route and the firewall between this machine and the server.'),
            (bool) preg_match('/password authentication failed|no password supplied|authentication failed/i', $said) => SystemTrouble::lasting('wrong_password', "{$at->system}: the server refuses the password of user {$at->user}.", 'Enter the password again, or have it reset at the server.'),
            (bool) preg_match('/role "[^"]*" does not exist/i', $said) => SystemTrouble::lasting('unknown_user', "{$at->system}: the server knows no user {$at->user}.", 'Check the user\'s name, or have the account created.'),
            (bool) preg_match('/database "[^"]*" does not exist/i', $said) => SystemTrouble::lasting('no_database', "{$at->system}: there is no database {$at->database} on {$at->host}:{$at->port}.", 'Check the database\'s name; it is case-sensitive.'),
            (bool) preg_match('/permission denied for database/i', $said) => SystemTrouble::lasting('no_privilege', "{$at->system}: user {$at->user} may not connect to database {$at->database}.", "GRANT CONNECT ON DATABASE {$at->database} TO {$at->user};"),
            (bool) preg_match('/no pg_hba.conf entry/i', $said) => SystemTrouble::lasting('not_admitted', "{$at->system}: the server admits no connection of {$at->user} to {$at->database} from this machine.", 'Have a line for this machine, user and database added to pg_hba.conf, or turn TLS on if the line demands it.'),
            (bool) preg_match('/SSL|certificate/i', $said) => SystemTrouble::lasting('tls', "{$at->system}: no TLS connection with mode {$at->tls} could be made.", 'Choose another TLS mode, or have the server\'s certificate put in order.'),
            (bool) preg_match('/too many (connections|clients)|remaining connection slots/i', $said) => SystemTrouble::passing('too_many_connections', "{$at->system}: the server has no connection left.", 'Lighterman tries again. If it stays so, raise max_connections or close idle sessions.'),
            (bool) preg_match('/starting up|shutting down|recovery mode|not currently accepting/i', $said) => SystemTrouble::passing('starting', "{$at->system}: the server is up, but admits nobody to {$at->database} at this moment.", 'Lighterman tries again until it is ready.'),
            default => SystemTrouble::passing('no_connection', "No connection to {$system} could be made.", 'Test the system on its page; the findings name what is missing.'),
        };
    }

    public static function lost(PostgresSettings $at, string $state): SystemTrouble
    {
        return SystemTrouble::passing('connection_lost', "The connection to {$at->system} ({$at->place()}) was lost.".($state === '57P01' ? ' An administrator ended it.' : ''), 'Nothing of the batch under way was kept; Lighterman connects again and goes on from the last receipt.');
    }

    public static function fromState(PostgresSettings $at, string $state, string $message): SystemTrouble
    {
        $said = "{$at->system}: ".($message === '' ? 'the server reported an error' : $message);
        $class = substr($state, 0, 2);

        return match (true) {
            $state === '42P01' => SystemTrouble::lasting('no_table', "{$said}.", 'Check its name; it may have been dropped or renamed, or not be visible to '.$at->user.'.'),
            $state === '42703' => SystemTrouble::lasting('no_column', "{$said}.", 'Check its name; it may have been dropped or renamed.'),
            $state === '42501' => SystemTrouble::lasting('no_privilege', "{$said} (user {$at->user}).", "Grant the missing privilege to {$at->user}; the test of the system names the statement."),
            $state === '25006' => SystemTrouble::lasting('read_only', "{$said}.", 'Only statements that read are allowed here.'),
            $state === '53100' => SystemTrouble::passing('disk_full', "{$said}.", "Free space on the disk of {$at->system}. Nothing of the batch was kept; Lighterman tries again."),
            $state === '57014' => SystemTrouble::lasting('cancelled', "{$said}.", 'The statement ran into its time limit or was cancelled. Narrow it, or raise the limit.'),
            in_array($class, ['08', '53', '57', '58', '40', '55'], true) => SystemTrouble::passing('busy', "{$said}.", 'Lighterman tries again.'),
            $state === '23505' => SystemTrouble::lasting('duplicate_key', "{$said}.", 'Two rows have the same key. Check the feed\'s key, and the landed table\'s unique indexes.'),
            $class === '23' => SystemTrouble::lasting('constraint', "{$said}.", 'The landed table has a constraint that the row does not meet. Drop the constraint, or land elsewhere.'),
            $class === '22' => SystemTrouble::lasting('value', "{$said}.", 'A value does not fit the column. Compare the column\'s types on both sides.'),
            default => SystemTrouble::lasting('refused', "{$said}".($state === '' ? '.' : " (SQLSTATE {$state})."), 'Correct what the message names and try again.'),
        };
    }
}
