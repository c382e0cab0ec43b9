<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

/** A server would not do what it was asked to, or could not at that moment. */
final class StatementTrouble extends SystemTrouble
{
    private function __construct(Reason $reason, string $message, string $remedy, bool $mayPass, public readonly string $system)
    {
        parent::__construct($reason, $message, $remedy, $mayPass);
    }

    /** @param  string  $said  by the server, with the system's name before it: so in all that follow */
    public static function busy(string $system, string $said, string $remedy = 'Lighterman tries again.'): self
    {
        return new self(Reason::Busy, "{$said}.", $remedy, true, $system);
    }

    public static function diskFull(string $system, string $said, string $of): self
    {
        return new self(Reason::DiskFull, "{$said}.", "Free space on the disk of {$of}. Nothing of the batch was kept; Lighterman tries again.", true, $system);
    }

    public static function outOfMemory(string $system, string $said, string $remedy): self
    {
        return new self(Reason::OutOfMemory, "{$said}.", $remedy, true, $system);
    }

    public static function cancelled(string $system, string $said): self
    {
        return new self(Reason::Cancelled, "{$said}.", 'The statement ran into its time limit or was cancelled. Narrow it, or raise the limit.', false, $system);
    }

    public static function sameKey(string $system, string $said): self
    {
        return new self(Reason::DuplicateKey, "{$said}.", 'Two rows have the same key. Check the feed\'s key, and the landed table\'s unique indexes.', false, $system);
    }

    public static function constraint(string $system, string $said): self
    {
        return new self(Reason::Constraint, "{$said}.", 'The landed table has a constraint that the row does not meet. Drop the constraint, or land elsewhere.', false, $system);
    }

    public static function value(string $system, string $said, string $remedy = 'A value does not fit the column. Compare the column\'s types on both sides.'): self
    {
        return new self(Reason::Value, "{$said}.", $remedy, false, $system);
    }

    /** @param  string  $code  with what kind of code it is, as in "SQLSTATE 42601"; empty where there is none */
    public static function refused(string $system, string $said, string $code = ''): self
    {
        return new self(Reason::Refused, $said.($code === '' ? '.' : " ({$code})."), 'Correct what the message names and try again.', false, $system);
    }

    /** @param  string  $message  a whole sentence */
    public static function waitsForTransactions(string $system, string $message, string $remedy): self
    {
        return new self(Reason::OpenTransactions, $message, $remedy, true, $system);
    }

    /** @param  string  $message  a whole sentence */
    public static function store(string $system, string $message, bool $answers): self
    {
        return $answers
            ? new self(Reason::Store, $message, 'Lighterman tries again; if it stays so, look at the store.', true, $system)
            : new self(Reason::NotReachable, $message, 'Check the address, and that the store is up. Lighterman tries again.', true, $system);
    }
}
