<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

use RuntimeException;

/** Something that a system outside refused or failed to do, or that stands in the way of asking it. Each kind of thing has a class of its own, with its facts. */
abstract class SystemTrouble extends RuntimeException implements Explained
{
    private readonly Remedy $remedy;

    /** @param  bool  $mayPass  whether it may work later without anybody changing something */
    protected function __construct(public readonly Reason $reason, string $message, Remedy|string $remedy, private readonly bool $mayPass)
    {
        parent::__construct($message);
        $this->remedy = $remedy instanceof Remedy ? $remedy : new Remedy($remedy);
    }

    public function remedy(): Remedy
    {
        return $this->remedy;
    }

    public function mayPass(): bool
    {
        return $this->mayPass;
    }
}
