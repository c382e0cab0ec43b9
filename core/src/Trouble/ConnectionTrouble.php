<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

/** A server was not reached, did not let somebody in, or was lost. Said in the same words for every kind of it. */
final class ConnectionTrouble extends SystemTrouble
{
    /** @param  string|null  $place  host, port, database or user that it is about */
    private function __construct(Reason $reason, string $message, Remedy|string $remedy, bool $mayPass, public readonly string $system, public readonly ?string $place = null)
    {
        parent::__construct($reason, $message, $remedy, $mayPass);
    }

    public static function unknownHost(string $system, string $host): self
    {
        return new self(Reason::UnknownHost, "{$system}: the host name {$host} cannot be resolved.", 'Check the spelling of the host, and that this machine\'s name service knows it.', true, $system, $host);
    }

    public static function closedPort(string $system, string $host, int $port): self
    {
        return new self(Reason::ClosedPort, "{$system}: nothing answers on port {$port} of {$host}.", 'Check that the server is running, that it listens on this address, and the port.', true, $system, "{$host}:{$port}");
    }

    public static function unreachable(string $system, string $host): self
    {
        return new self(Reason::Unreachable, "{$system}: {$host} does not answer within 5 s.", 'Check the route and the firewall between this machine and the server.', true, $system, $host);
    }

    public static function wrongPassword(string $system, string $user): self
    {
        return new self(Reason::WrongPassword, "{$system}: the server refuses the password of user {$user}.", 'Enter the password again, or have it reset at the server.', false, $system, $user);
    }

    public static function unknownUser(string $system, string $user): self
    {
        return new self(Reason::UnknownUser, "{$system}: the server knows no user {$user}.", 'Check the user\'s name, or have the account created.', false, $system, $user);
    }

    public static function notAdmitted(string $system, string $user, string $what, string $remedy): self
    {
        return new self(Reason::NotAdmitted, "{$system}: the server admits no connection of {$user}{$what} from this machine.", $remedy, false, $system, $user);
    }

    public static function noDatabase(string $system, string $database, string $place): self
    {
        return new self(Reason::NoDatabase, "{$system}: there is no database {$database} on {$place}.", 'Check the database\'s name; it is case-sensitive.', false, $system, $database);
    }

    /** Of a database that is a file. @param  string  $message  a whole sentence */
    public static function unfitFile(string $system, string $message, string $remedy, string $path): self
    {
        return new self(Reason::NoDatabase, $message, $remedy, false, $system, $path);
    }

    public static function full(string $system): self
    {
        return new self(Reason::TooManyConnections, "{$system}: the server has no connection left.", 'Lighterman tries again. If it stays so, raise max_connections or close idle sessions.', true, $system);
    }

    public static function tls(string $system, string $mode): self
    {
        return new self(Reason::Tls, "{$system}: no TLS connection with mode {$mode} could be made.", 'Choose another TLS mode, or have the server\'s certificate put in order.', false, $system);
    }

    public static function starting(string $system, string $database): self
    {
        return new self(Reason::Starting, "{$system}: the server is up, but admits nobody to {$database} at this moment.", 'Lighterman tries again until it is ready.', true, $system, $database);
    }

    public static function lost(string $system, string $place, string $why = ''): self
    {
        return new self(Reason::ConnectionLost, "The connection to {$system} ({$place}) was lost.{$why}", 'Nothing of the batch under way was kept; Lighterman connects again and goes on from the last receipt.', true, $system, $place);
    }

    public static function otherwise(string $system, string $place): self
    {
        return new self(Reason::NoConnection, "No connection to {$system} ({$place}) could be made.", new Remedy('Test the system; the findings name what is missing.', Act::CheckSystem, $system), true, $system, $place);
    }

    /** Whether nothing answered at all. */
    public function isSilence(): bool
    {
        return in_array($this->reason, [Reason::UnknownHost, Reason::ClosedPort, Reason::Unreachable, Reason::NoConnection], true);
    }
}
