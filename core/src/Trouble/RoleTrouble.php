<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

/** A system of a kind that does not do what it is to be used for. */
final class RoleTrouble extends SystemTrouble
{
    /** @param  string  $kind  its word for people */
    private function __construct(Reason $reason, string $message, string $remedy, public readonly string $system, public readonly string $kind)
    {
        parent::__construct($reason, $message, $remedy, false);
    }

    public static function noSource(string $system, string $kind): self
    {
        return new self(Reason::NoSource, "{$system} is {$kind}; nothing can be carried from there.", 'Choose another system to read from.', $system, $kind);
    }

    public static function noTarget(string $system, string $kind): self
    {
        return new self(Reason::NoTarget, "{$system} is {$kind}; rows cannot be landed there.", 'Choose another system to land in.', $system, $kind);
    }

    public static function noStream(string $system, string $kind): self
    {
        return new self(Reason::NoStream, "{$system} is {$kind}; its changes cannot be read one after the other.", 'Choose another capture.', $system, $kind);
    }
}
