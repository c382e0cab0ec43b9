<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** A kind of system that rows can land in. */
interface Target extends Connector
{
    /** Connects when it is first asked for something. */
    public function target(Access $access): TargetSystem;

    /** Whether what lands there are files. */
    public function keepsFiles(): bool;
}
