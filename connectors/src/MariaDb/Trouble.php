<?php

declare(strict_types=1);

namespace Lighterman\Connectors\MariaDb;

use Lighterman\Connectors\Connecting;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;
use PDOException;

/**
 * Turns what MariaDB and its driver say into errors that name the thing and the remedy.
 *
 * @see https://mariadb.com/kb/en/mariadb-error-code-reference/
 */
final class Trouble
{
    public static function of(MariaDbSettings $at, PDOException $e): SystemTrouble
    {
        $code = (int) ($e->errorInfo[1] ?? $e->getCode());
        $message = (string) ($e->errorInfo[2] ?? $e->getMessage());
        // Messages about values quote them; the name of the column is all that is passed on.
        $said = "{$at->system}: ".(string) preg_replace("/value: '.*?' for column/s", 'value for column', $message);

        return match (true) {
            MariaDbSettings::isTls($e) => Connecting::tls($at->system, $at->tls),
            $code === 2002 && str_contains($message, 'getaddrinfo') => Connecting::unknownHost($at->system, $at->host),
            $code === 2002 && str_contains($message, 'timed out') => Connecting::unreachable($at->system, $at->host),
            $code === 2002 => Connecting::closedPort($at->system, $at->host, $at->port),
            $code === 1045 => Connecting::wrongPassword($at->system, $at->user),
            $code === 1049 => Connecting::noDatabase($at->system, $at->database, "{$at->host}:{$at->port}"),
            $code === 1044 => SystemTrouble::lasting(Reason::NoPrivilege, "{$at->system}: user {$at->user} may not use database {$at->database}.", "GRANT SELECT ON `{$at->database}`.* TO {$at->user};"),
            $code === 1130 => SystemTrouble::lasting(Reason::NotAdmitted, "{$at->system}: the server admits no connection of {$at->user} from this machine.", 'Have the account created for this machine\'s address.'),
            in_array($code, [1040, 1203], true) => Connecting::full($at->system),
            in_array($code, [2006, 2013, 1053, 1927], true) => Connecting::lost($at->system, $at->place()),
            in_array($code, [1205, 1213, 1969, 1020, 1062], true) => SystemTrouble::passing(Reason::Busy, "{$said}.", 'Lighterman tries again.'),
            in_array($code, [1021, 1114], true) => SystemTrouble::passing(Reason::DiskFull, "{$said}.", "Free space on the disk of {$at->system}. Lighterman tries again."),
            $code === 1146 => SystemTrouble::lasting(Reason::NoTable, "{$said}.", 'Check its name; it may have been dropped or renamed.'),
            $code === 1054 => SystemTrouble::lasting(Reason::NoColumn, "{$said}.", 'Check its name; it may have been dropped or renamed.'),
            in_array($code, [1142, 1143, 1227, 1370, 1419], true) => SystemTrouble::lasting(Reason::NoPrivilege, "{$said}.", "Grant the missing privilege to {$at->user}; the test of the system names the statement."),
            default => SystemTrouble::lasting(Reason::Refused, "{$said} (error {$code}).", 'Correct what the message names and try again.'),
        };
    }
}
