<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Record\Counts;

/** Writes what a plan holds into one landed table, within the transaction under way. */
interface ChangeWriter
{
    /**
     * Hands the lines to the server and sends the statements that land them, without waiting: the next changes can be read
     * from the log meanwhile.
     *
     * @param  string  $now  the target's clock, for the stamp of delivery
     * @return (callable(list<Outcome>): Counts)|Counts what the statements did, once their outcomes are in; counts at once where none were sent
     */
    public function write(ChangePlan $plan, string $now): callable|Counts;

    /** @param  string  $only  a condition over the landed rows, `t`; others stay */
    public function truncate(SourceCommit $commit, int $number, string $now, string $only = '1 = 1'): Counts;
}
