<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Guarantee\Claim;
use Lighterman\Core\Guarantee\SourceCapabilities;

final class TriggerCapture extends ByStream
{
    public function capture(): Capture
    {
        return Capture::Trigger;
    }

    public function explanation(): string
    {
        return 'Takes every insert, update and delete from triggers that write them into a table beside.';
    }

    public function stream(): StreamWords
    {
        return new StreamWords('By trigger', 'the triggers', 'Change table', 'recorded changes', 'Remove triggers and change table', 'Removes change table and triggers, makes them again,', 'Change table and triggers are', false);
    }

    protected function held(): string
    {
        return 'Triggers write each of them down in the transaction that makes it';
    }

    public function changes(Chosen $feed, SourceCapabilities $source, ?TableFacts $facts): Claim
    {
        return $source->triggersMiss === null ? parent::changes($feed, $source, $facts) : new Claim('changes', 'at risk', 'Every change that fires a trigger is seen', $source->triggersMiss);
    }

    public function deletes(Chosen $feed, SourceCapabilities $source): Claim
    {
        return $source->triggersMiss === null ? parent::deletes($feed, $source) : self::ignored($feed) ?? new Claim('deletes', 'at risk', 'Deletes are seen', 'Those that fire a trigger.');
    }

    public function lateCommits(Chosen $feed, SourceCapabilities $source): Claim
    {
        return new Claim('late commits', 'kept', 'Late commits are covered', 'What is still open while changes are read is known, and belongs to a later reading.');
    }

    public function order(): Claim
    {
        return new Claim('order', 'kept', 'In order for every row', 'Transactions that changed the same row land in the order of their commits; others may change places among each other, but each lands whole.');
    }
}
