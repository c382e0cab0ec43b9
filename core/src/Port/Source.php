<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** A kind of system that rows can come from. */
interface Source extends Connector
{
    /** Connects when it is first asked for something. */
    public function source(Access $access): SourceSystem;

    /** Whether what is read there are files, and not tables. */
    public function bringsFiles(): bool;
}
