<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Capture\WatermarkMode;
use Lighterman\Core\Guarantee\Claim;
use Lighterman\Core\Guarantee\SourceCapabilities;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Trouble\InvalidDefinition;

final class WatermarkCapture extends ByQuery
{
    public function capture(): Capture
    {
        return Capture::Watermark;
    }

    public function explanation(): string
    {
        return 'Reads only rows past the last value of a growing column.';
    }

    public function takesWatermark(): bool
    {
        return true;
    }

    public function landing(Landing $suggested): Landing
    {
        return $suggested->adds() ? Landing::Append : Landing::Upsert;
    }

    public function check(Chosen $feed): void
    {
        if ($feed->origin->watermark === null) {
            throw InvalidDefinition::at("{$feed->feed}: watermark", 'no watermark column is named', 'Name a column that grows with every change, or use capture reload.');
        }
        $type = $feed->origin->shape->column($feed->origin->watermark->column)?->type;
        if ($type === null || ! $type->kind->canBeWatermark()) {
            throw InvalidDefinition::at("{$feed->feed}: watermark", "{$feed->origin->watermarkColumn()} is {$type}, whose values do not grow with time", 'Choose a timestamp, date, integer or decimal column, or use capture reload.');
        }
        if ($feed->origin->key === []) {
            throw InvalidDefinition::at("{$feed->feed}: key", 'a watermark needs a key, to part rows of equal value', 'Name the columns that tell rows apart, or use capture reload.');
        }
        if ($feed->overlap() < 0 || ($feed->overlap() > 0 && $feed->destination->landing->adds())) {
            throw InvalidDefinition::at("{$feed->feed}: overlap", $feed->overlap() < 0 ? 'it is negative' : 'with landing append every row read again would be added again', 'Use 0, or landing upsert.');
        }
        $this->refuseReplacing($feed);
        $this->refuseVersions($feed);
    }

    public function delivery(Chosen $feed): Claim
    {
        return new Claim('delivery', 'kept', 'Exactly once, in effect', 'Position and rows commit in one transaction of the target, so a crash repeats nothing and skips nothing.');
    }

    public function changes(Chosen $feed, SourceCapabilities $source, ?TableFacts $facts): Claim
    {
        $name = $feed->origin->watermarkColumn();
        $column = $name === null ? null : ($facts->columns[$name] ?? null);
        if ($column && ($column->outrun !== null || ($column->insertOnly && $facts?->count->updates))) {
            return new Claim('changes', 'not given', 'Updates are not seen', "{$name} is set once, at insert, and does not move when a row changes.");
        }
        if ($column && $column->nulls > 0) {
            return new Claim('changes', 'at risk', 'Rows without a watermark are not seen', "{$column->nulls} rows have no {$name}.");
        }
        if ($column && $column->ahead > 0) {
            return new Claim('changes', 'at risk', 'Rows dated ahead are not seen before their time', "{$column->ahead} rows have a {$name} ahead of the source's clock; one at infinity is never carried.");
        }

        return $feed->destination->landing->adds()
            ? new Claim('changes', 'kept', 'Every change seen is added as a new row', "A row whose {$name} has moved is read again and appended.")
            : new Claim('changes', 'kept', 'The latest state of every changed row', "Rows are found by {$name}; changes between two windows arrive as one.");
    }

    public function deletes(Chosen $feed, SourceCapabilities $source): Claim
    {
        return new Claim('deletes', 'not given', 'Deletes are not seen', 'A deleted row has no watermark to be found by. It lives on in the copy.');
    }

    public function lateCommits(Chosen $feed, SourceCapabilities $source): Claim
    {
        $moments = $feed->origin->watermarkMode() === WatermarkMode::Moment;
        if (! $source->seesOpenTransactions) {
            return $feed->overlap() > 0
                ? new Claim('late commits', 'at risk', 'Late commits are covered within the overlap', "Open transactions of others cannot be seen here; {$feed->overlap()} ".($moments ? 'seconds' : 'units').' before each window are read again.')
                : new Claim('late commits', 'at risk', 'Late commits may be missed', 'Open transactions of others cannot be seen with this account. '.($source->grantToSeeOpen === null ? 'Set an overlap.' : "{$source->grantToSeeOpen}, or set an overlap."));
        }

        return new Claim('late commits', 'kept', 'Late commits are covered', $moments
            ? 'Each window ends before the start of the oldest transaction still open, by the source\'s clock.'
            : 'A value bounds a window only once every transaction open when it was seen has ended.');
    }

    public function order(): Claim
    {
        return new Claim('order', 'kept', 'In order of the watermark', 'Rows of one source transaction may land in two batches, so the copy can be between two states of the source.');
    }
}
