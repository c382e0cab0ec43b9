<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Guarantee\Claim;
use Lighterman\Core\Guarantee\SourceCapabilities;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Trouble\InvalidDefinition;

/** A capture that reads changes one after the other, for all feeds of a route together. */
abstract class ByStream extends Common
{
    public function bringsChanges(): bool
    {
        return true;
    }

    public function landing(Landing $suggested): Landing
    {
        return Landing::Upsert;
    }

    public function check(Chosen $feed): void
    {
        $this->refuseWatermark($feed);
        if ($feed->origin->key === []) {
            throw InvalidDefinition::at("{$feed->feed}: key", "capture {$this->capture()->value} needs a key, to know which row was changed", 'Name the columns that tell rows apart, or use capture reload.');
        }
        $this->refuseReplacing($feed);
    }

    public function delivery(Chosen $feed): Claim
    {
        return new Claim('delivery', 'kept', 'Exactly once, in effect', 'Every source transaction lands whole, across its tables, in one transaction of the target together with the position among the changes. While a feed is paused or failing its changes wait in a spool and land by themselves afterwards.');
    }

    /** Where each change is found, as a sentence without its point. */
    abstract protected function held(): string;

    public function changes(Chosen $feed, SourceCapabilities $source, ?TableFacts $facts): Claim
    {
        return $feed->destination->landing->merges()
            ? new Claim('changes', 'kept', 'Every change is seen', "{$this->held()}. Several changes to a row that land together are written as the last of them.")
            : new Claim('changes', 'kept', 'Every change is seen and kept', "{$this->held()}, and each is landed as a row of its own.");
    }

    public function deletes(Chosen $feed, SourceCapabilities $source): Claim
    {
        return self::ignored($feed) ?? new Claim('deletes', 'kept', 'Deletes are seen', $feed->destination->landing->deleted($feed->destination->deletes));
    }

    protected static function ignored(Chosen $feed): ?Claim
    {
        return $feed->destination->landing->merges() && $feed->destination->deletes === Deletes::Ignore
            ? new Claim('deletes', 'not given', 'Deletes are ignored', 'By choice: a row deleted at the source stays in the copy as it was.') : null;
    }

    public function noticed(): string
    {
        return 'A source table that is replaced, and what is done to what records its changes, is noticed within moments and healed by loading it again. ';
    }
}
