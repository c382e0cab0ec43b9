<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** The changes to one key, oldest first. */
final readonly class LandedHistory
{
    public const MOST = 300;

    /**
     * @param  list<LandedEntry>  $entries
     * @param  bool  $cut  whether there are older ones
     */
    public function __construct(public array $entries, public bool $cut)
    {
    }
}
