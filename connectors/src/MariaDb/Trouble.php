<?php

declare(strict_types=1);

namespace Lighterman\Connectors\MariaDb;

use Lighterman\Connectors\Connecting;
use Lighterman\Core\Port\SystemTrouble;
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
            self::isTls($e) => Connecting::tls($at->system, $at->tls),
            $code === 2002 && str_contains($message, 'getaddrinfo') => Connecting::unknownHost($at->system, $at->host),
            $code === 2002 && str_contains($message, 'timed out') => Connecting::unreachable($at->system, $at->host),
            $code === 2002 => Connecting::closedPort($at->system, $at->host, $at->port),
            $code === 1045 => Connecting::wrongPassword($at->system, $at->user),
            $code === 1049 => Connecting::noDatabase($at->system, $at->database, "{$at->host}:{$at->port}"),
            $code === 1044 => SystemTrouble::lasting('no_privilege', "{$at->system}: user {$at->user} may not use database {$at->database}.", "GRANT SELECT ON `{$at->database}`.* TO {$at->user};"),
            $code === 1130 => SystemTrouble::lasting('not_admitted', "{$at->system}: the server admits no connection of {$at->user} from this machine.", 'Have the account created for this machine\'s address.'),
            in_array($code, [1040, 1203], true) => Connecting::full($at->system),
            in_array($code, [2006, 2013, 1053, 1927], true) => Connecting::lost($at->system, $at->place()),
            in_array($code, [1205, 1213, 1969, 1020, 1062], true) => SystemTrouble::passing('busy', "{$said}.", 'Lighterman tries again.'),
            in_array($code, [1021, 1114], true) => SystemTrouble::passing('disk_full', "{$said}.", "Free space on the disk of {$at->system}. Lighterman tries again."),
            $code === 1146 => SystemTrouble::lasting('no_table', "{$said}.", 'Check its name; it may have been dropped or renamed.'),
            $code === 1054 => SystemTrouble::lasting('no_column', "{$said}.", 'Check its name; it may have been dropped or renamed.'),
            in_array($code, [1142, 1143, 1227, 1370, 1419], true) => SystemTrouble::lasting('no_privilege', "{$said}.", "Grant the missing privilege to {$at->user}; the test of the system names the statement."),
            default => SystemTrouble::lasting('refused', "{$said} (error {$code}).", 'Correct what the message names and try again.'),
        };
    }

    /** @param  bool  $connecting  while a connection is made, a server that offers no TLS looks as if it had gone away */
    public static function isTls(PDOException $e, bool $connecting = false): bool
    {
        return ($connecting && $e->getCode() === 2006) || (bool) preg_match('/\bSSL\b|certificate/i', $e->getMessage()) && ! str_contains($e->getMessage(), 'syntax');
    }
}
