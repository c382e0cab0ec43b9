<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Guarantee\Claim;
use Lighterman\Core\Guarantee\SourceCapabilities;
use Lighterman\Core\Landing\Landing;

final class ReloadCapture extends ByQuery
{
    public function capture(): Capture
    {
        return Capture::Reload;
    }

    public function explanation(): string
    {
        return 'Reads the whole table every time.';
    }

    public function readsWhole(): bool
    {
        return true;
    }

    public function keepsKey(): bool
    {
        return false;
    }

    public function landing(Landing $suggested): Landing
    {
        return Landing::Replace;
    }

    public function promiseMinutes(): int
    {
        return 1440;
    }

    public function check(Chosen $feed): void
    {
        $this->refuseWatermark($feed);
        $this->refuseVersions($feed);
    }

    public function delivery(Chosen $feed): Claim
    {
        return $feed->destination->landing->adds()
            ? new Claim('delivery', 'at risk', 'Once per reload', 'Every reload adds the whole table again; within one reload each row is added once.')
            : new Claim('delivery', 'kept', 'Exactly once, in effect', 'Position and rows commit in one transaction of the target, so a crash repeats nothing and skips nothing.');
    }

    public function changes(Chosen $feed, SourceCapabilities $source, ?TableFacts $facts): Claim
    {
        return $feed->origin->files === null
            ? new Claim('changes', 'kept', 'Every reload carries all rows', 'The whole table is read in one statement, as it is at that moment. Versions in between are not seen.')
            : new Claim('changes', 'kept', 'Every reload carries all rows', 'All files that fit the pattern are read, one after the other. What is written to one of them meanwhile comes with the next reload.');
    }

    public function deletes(Chosen $feed, SourceCapabilities $source): Claim
    {
        return $feed->destination->landing->swaps()
            ? new Claim('deletes', 'kept', 'Deletes are seen', 'The table is swapped whole; a row that is gone at the source is gone after the next reload.')
            : new Claim('deletes', 'not given', 'Deletes are not seen', "Landing {$feed->destination->landing->value} never removes a row.");
    }

    public function lateCommits(Chosen $feed, SourceCapabilities $source): Claim
    {
        return new Claim('late commits', 'kept', 'Late commits are covered', 'The next reload reads them like any other row.');
    }

    public function order(): Claim
    {
        return new Claim('order', 'kept', 'As of one moment', 'All rows come from one statement, and readers see either the old table or the new one.');
    }
}
