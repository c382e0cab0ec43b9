<?php

declare(strict_types=1);

namespace Lighterman\Connectors\MariaDb;

use Lighterman\Core\Trouble\ConnectionTrouble;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\PrivilegeTrouble;
use Lighterman\Core\Trouble\StatementTrouble;
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
            MariaDbSettings::isTls($e) => ConnectionTrouble::tls($at->system, $at->tls),
            $code === 2002 && str_contains($message, 'getaddrinfo') => ConnectionTrouble::unknownHost($at->system, $at->host),
            $code === 2002 && str_contains($message, 'timed out') => ConnectionTrouble::unreachable($at->system, $at->host),
            $code === 2002 => ConnectionTrouble::closedPort($at->system, $at->host, $at->port),
            $code === 1045 => ConnectionTrouble::wrongPassword($at->system, $at->user),
            $code === 1049 => ConnectionTrouble::noDatabase($at->system, $at->database, "{$at->host}:{$at->port}"),
            $code === 1044 => PrivilegeTrouble::at($at->system, $at->user, "{$at->system}: user {$at->user} may not use database {$at->database}.", "GRANT SELECT ON `{$at->database}`.* TO {$at->user};"),
            $code === 1130 => ConnectionTrouble::notAdmitted($at->system, $at->user, '', 'Have the account created for this machine\'s address.'),
            in_array($code, [1040, 1203], true) => ConnectionTrouble::full($at->system),
            in_array($code, [2006, 2013, 1053, 1927], true) => ConnectionTrouble::lost($at->system, $at->place()),
            in_array($code, [1205, 1213, 1969, 1020, 1062], true) => StatementTrouble::busy($at->system, $said),
            in_array($code, [1021, 1114], true) => StatementTrouble::diskFull($at->system, $said, $at->system),
            $code === 1146 => MissingTrouble::tableSaid($at->system, $said),
            $code === 1054 => MissingTrouble::columnSaid($at->system, $said),
            in_array($code, [1142, 1143, 1227, 1370, 1419], true) => PrivilegeTrouble::at($at->system, $at->user, "{$said}.", null),
            default => StatementTrouble::refused($at->system, $said, "error {$code}"),
        };
    }
}
