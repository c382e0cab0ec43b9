<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** A kind of system that keeps its log for who is known to it as a reader, for ever if nobody comes. */
interface HoldsLog extends Connector
{
    public function slots(Access $access): Slots;
}
