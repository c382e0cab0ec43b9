<?php

declare(strict_types=1);

namespace Lighterman\Core\Record;

use Lighterman\Core\Position\Position;

/** Where a feed stands once what was written for it is committed. */
final readonly class Arrival
{
    /**
     * @param  string  $feed  its lasting id
     * @param  int  $run  Lighterman's number of the run
     * @param  int  $dropped  records that were read and dropped on the way
     * @param  int  $setAside  records that were read and set aside on the way
     */
    public function __construct(public string $feed, public Position $to, public int $run = 0, public int $dropped = 0, public int $setAside = 0)
    {
    }
}
