<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Log;

use Lighterman\Connectors\Postgres\Counts;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\SourceCommit;

/** Writes what a plan holds into one landed table, within the transaction under way. */
interface ChangeWriter
{
    /** @param  string  $now  the target's clock, for the stamp of delivery */
    public function write(ChangePlan $plan, string $now): Counts;

    public function truncate(SourceCommit $commit, int $number, string $now): Counts;
}
