<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/** Further tables that records land in instead of their feed's own. */
final readonly class Forks
{
    /**
     * @param  array<string, LandedTable>  $tables  by the name of the fork that records take
     * @param  bool  $takesRest  whether records land in the feed's own table at all
     */
    public function __construct(public array $tables = [], public bool $takesRest = true)
    {
    }
}
