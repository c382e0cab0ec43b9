<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

use RuntimeException;

/** Something a system outside refused or failed to do. */
final class SystemTrouble extends RuntimeException implements Explained
{
    private function __construct(string $message, public readonly Reason $reason, private readonly string $remedy, private readonly bool $mayPass)
    {
        parent::__construct($message);
    }

    /** It may work later: not reachable, connection lost, out of space, too busy, deadlock. */
    public static function passing(Reason $reason, string $message, string $remedy): self
    {
        return new self($message, $reason, $remedy, true);
    }

    /** It will not work until somebody changes something. */
    public static function lasting(Reason $reason, string $message, string $remedy): self
    {
        return new self($message, $reason, $remedy, false);
    }

    public function remedy(): string
    {
        return $this->remedy;
    }

    public function mayPass(): bool
    {
        return $this->mayPass;
    }
}
