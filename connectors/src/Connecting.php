<?php

declare(strict_types=1);

namespace Lighterman\Connectors;

use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/** What keeps a server from being reached, said in the same words for every kind of it. */
final class Connecting
{
    public static function unknownHost(string $system, string $host): SystemTrouble
    {
        return SystemTrouble::passing(Reason::UnknownHost, "{$system}: the host name {$host} cannot be resolved.", 'Check the spelling of the host, and that this machine\'s name service knows it.');
    }

    public static function closedPort(string $system, string $host, int $port): SystemTrouble
    {
        return SystemTrouble::passing(Reason::ClosedPort, "{$system}: nothing answers on port {$port} of {$host}.", 'Check that the server is running, that it listens on this address, and the port.');
    }

    public static function unreachable(string $system, string $host): SystemTrouble
    {
        return SystemTrouble::passing(Reason::Unreachable, "{$system}: {$host} does not answer within 5 s.", 'Check the route and the firewall between this machine and the server.');
    }

    public static function wrongPassword(string $system, string $user): SystemTrouble
    {
        return SystemTrouble::lasting(Reason::WrongPassword, "{$system}: the server refuses the password of user {$user}.", 'Enter the password again, or have it reset at the server.');
    }

    public static function noDatabase(string $system, string $database, string $place): SystemTrouble
    {
        return SystemTrouble::lasting(Reason::NoDatabase, "{$system}: there is no database {$database} on {$place}.", 'Check the database\'s name; it is case-sensitive.');
    }

    public static function full(string $system): SystemTrouble
    {
        return SystemTrouble::passing(Reason::TooManyConnections, "{$system}: the server has no connection left.", 'Lighterman tries again. If it stays so, raise max_connections or close idle sessions.');
    }

    public static function tls(string $system, string $mode): SystemTrouble
    {
        return SystemTrouble::lasting(Reason::Tls, "{$system}: no TLS connection with mode {$mode} could be made.", 'Choose another TLS mode, or have the server\'s certificate put in order.');
    }

    public static function lost(string $system, string $place, string $why = ''): SystemTrouble
    {
        return SystemTrouble::passing(Reason::ConnectionLost, "The connection to {$system} ({$place}) was lost.{$why}", 'Nothing of the batch under way was kept; Lighterman connects again and goes on from the last receipt.');
    }

    public static function otherwise(string $system, string $place): SystemTrouble
    {
        return SystemTrouble::passing(Reason::NoConnection, "No connection to {$system} ({$place}) could be made.", 'Test the system on its page; the findings name what is missing.');
    }
}
