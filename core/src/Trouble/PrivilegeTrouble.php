<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

/** Somebody may not do what has to be done. */
final class PrivilegeTrouble extends SystemTrouble
{
    /** @param  string|null  $user  who lacks it at the system; null where it is the account that Lighterman runs under */
    private function __construct(Reason $reason, string $message, Remedy|string $remedy, public readonly ?string $system, public readonly ?string $user = null, public readonly ?string $path = null, bool $mayPass = false)
    {
        parent::__construct($reason, $message, $remedy, $mayPass);
    }

    /**
     * @param  string  $message  a whole sentence
     * @param  string|null  $remedy  the statement that grants it; null where that is not known
     */
    public static function at(string $system, string $user, string $message, ?string $remedy): self
    {
        return new self(Reason::NoPrivilege, $message, $remedy ?? new Remedy("Grant the missing privilege to {$user}; the test of the system names the statement.", Act::CheckSystem, $system), $system, $user);
    }

    /** @param  string  $said  by the server */
    public static function onlyReading(string $system, string $said): self
    {
        return new self(Reason::ReadOnly, "{$said}.", 'Only statements that read are allowed here.', $system);
    }

    public static function toRead(string $path, ?string $system = null): self
    {
        return new self(Reason::NoPrivilege, ($system === null ? '' : "{$system}: ")."{$path} may not be read.", 'Give the account that Lighterman runs under the right to read it.', $system, path: $path);
    }

    public static function toWrite(string $path): self
    {
        return new self(Reason::NoPrivilege, "{$path} cannot be written.", 'Give the account that Lighterman runs under the right to write there.', null, path: $path);
    }

    public static function toMake(string $path): self
    {
        return new self(Reason::NoPrivilege, "The folder {$path} cannot be made.", 'Give the account that Lighterman runs under the right to write there.', null, path: $path);
    }

    /** @param  string  $message  a whole sentence */
    public static function inFolder(string $system, string $message, string $path, string $to = 'read and write'): self
    {
        return new self(Reason::NoPrivilege, $message, "Give the account that Lighterman runs under the right to {$to} {$path}. Lighterman tries again.", $system, path: $path, mayPass: true);
    }

    /** @param  string  $message  a whole sentence */
    public static function inBucket(string $system, string $message): self
    {
        return new self(Reason::NoPrivilege, $message, 'Check key and secret, and what they may do in the bucket: list, read, write and remove objects. Lighterman tries again.', $system, mayPass: true);
    }
}
