<?php

declare(strict_types=1);

namespace Lighterman\Core\Record;

use Lighterman\Core\Position\Position;

/** A stretch of the source, from one position to the next. */
final readonly class Stretch
{
    /**
     * @param  string|null  $sourceTime  the source's clock (ISO 8601, UTC) up to which the copy is complete once this has landed
     * @param  bool  $closes  whether everything read up to its end may be committed
     */
    public function __construct(public Position $from, public Position $to, public ?string $sourceTime, public bool $closes)
    {
    }
}
