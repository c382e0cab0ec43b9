<?php

declare(strict_types=1);

namespace Lighterman\Core\Guarantee;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\ChangedFile;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Capture\WatermarkMode;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Treatment\Check;
use Lighterman\Core\Treatment\Outcome;

/** What delivery can honestly claim for one feed, derived from what source, capture, landing and target can really do. */
final readonly class Guarantee
{
    /** @param  list<Claim>  $claims */
    private function __construct(public array $claims)
    {
    }

    /** @param  TableFacts|null  $facts what was seen in the table, when it has been looked at */
    public static function derive(FeedDefinition $feed, SourceCapabilities $source, TargetCapabilities $target, ?TableFacts $facts = null): self
    {
        return new self([
            self::delivery($feed, $target),
            self::changes($feed, $source, $facts),
            self::deletes($feed, $source),
            self::lateCommits($feed, $source),
            self::order($feed),
            self::byHand($feed, $target),
            ...self::keptOut($feed),
            ...($target->outsiders === null ? [] : [new Claim('outside readers', 'at risk', 'Through the catalogue only', $target->outsiders)]),
        ]);
    }

    private static function delivery(FeedDefinition $feed, TargetCapabilities $target): Claim
    {
        if (! $target->transactional) {
            return new Claim('delivery', 'at risk', 'At least once', 'The target cannot commit rows and position together, so a crash in between delivers a batch again.');
        }
        if ($feed->capture->bringsChanges()) {
            return new Claim('delivery', 'kept', 'Exactly once, in effect', 'Every source transaction lands whole, across its tables, in one transaction of the target together with the position among the changes. While a feed is paused or failing its changes wait in a spool and land by themselves afterwards.');
        }
        if ($feed->capture === Capture::Files) {
            return $feed->landing === Landing::Append && $feed->files?->changed === ChangedFile::Again
                ? new Claim('delivery', 'at risk', 'Exactly once for files that do not change', 'The rows of a file and the note that it was taken commit together. A file that has changed is taken again whole, so its rows are added again.')
                : new Claim('delivery', 'kept', 'Exactly once, in effect', 'The rows of a file and the note that it was taken commit together, so a crash takes no file twice and leaves none out.');
        }
        if ($feed->landing === Landing::Append && $feed->capture === Capture::Reload) {
            return new Claim('delivery', 'at risk', 'Once per reload', 'Every reload adds the whole table again; within one reload each row is added once.');
        }

        return new Claim('delivery', 'kept', 'Exactly once, in effect', 'Position and rows commit in one transaction of the target, so a crash repeats nothing and skips nothing.');
    }

    private static function changes(FeedDefinition $feed, SourceCapabilities $source, ?TableFacts $facts): Claim
    {
        if ($feed->capture === Capture::Trigger && $source->triggersMiss !== null) {
            return new Claim('changes', 'at risk', 'Every change that fires a trigger is seen', $source->triggersMiss);
        }
        if ($feed->capture->bringsChanges()) {
            $held = $feed->capture === Capture::Log ? 'The log holds each of them' : 'Triggers write each of them down in the transaction that makes it';

            return $feed->landing === Landing::Upsert
                ? new Claim('changes', 'kept', 'Every change is seen', "{$held}. Several changes to a row that land together are written as the last of them.")
                : new Claim('changes', 'kept', 'Every change is seen and kept', "{$held}, and each is landed as a row of its own.");
        }
        if ($feed->capture === Capture::Files) {
            return self::changedFiles($feed->files->changed ?? ChangedFile::SetAside, $feed->files->checksum ?? false);
        }
        if ($feed->files !== null) {
            return new Claim('changes', 'kept', 'Every reload carries all rows', 'All files that fit the pattern are read, one after the other. What is written to one of them meanwhile comes with the next reload.');
        }
        if ($feed->capture === Capture::Reload) {
            return new Claim('changes', 'kept', 'Every reload carries all rows', 'The whole table is read in one statement, as it is at that moment. Versions in between are not seen.');
        }
        $column = $feed->watermark === null ? null : ($facts->columns[$feed->watermark] ?? null);
        if ($column && ($column->outrun > 0 || ($column->insertOnly && $facts?->updates))) {
            return new Claim('changes', 'not given', 'Updates are not seen', "{$feed->watermark} is set once, at insert, and does not move when a row changes.");
        }
        if ($column && $column->nulls > 0) {
            return new Claim('changes', 'at risk', 'Rows without a watermark are not seen', "{$column->nulls} rows have no {$feed->watermark}.");
        }
        if ($column && $column->ahead > 0) {
            return new Claim('changes', 'at risk', 'Rows dated ahead are not seen before their time', "{$column->ahead} rows have a {$feed->watermark} ahead of the source's clock; one at infinity is never carried.");
        }

        return $feed->landing === Landing::Append
            ? new Claim('changes', 'kept', 'Every change seen is added as a new row', "A row whose {$feed->watermark} has moved is read again and appended.")
            : new Claim('changes', 'kept', 'The latest state of every changed row', "Rows are found by {$feed->watermark}; changes between two windows arrive as one.");
    }

    private static function changedFiles(ChangedFile $changed, bool $checksum): Claim
    {
        $noticed = 'A file counts as changed when its size or time differs'.($checksum ? ' and its bytes are others.' : '.');

        return match ($changed) {
            ChangedFile::Again => new Claim('changes', 'kept', 'Changed files are taken again', $noticed),
            ChangedFile::SetAside => new Claim('changes', 'at risk', 'Changed files wait for a decision', "{$noticed} It is set aside whole, until somebody has it taken again or lets it go."),
            ChangedFile::Ignore => new Claim('changes', 'not given', 'Changed files are ignored', 'By choice: what was taken of a file stays as it was.'),
        };
    }

    private static function deletes(FeedDefinition $feed, SourceCapabilities $source): Claim
    {
        if ($feed->capture->bringsChanges()) {
            return $feed->landing === Landing::Upsert && $feed->deletes === Deletes::Ignore
                ? new Claim('deletes', 'not given', 'Deletes are ignored', 'By choice: a row deleted at the source stays in the copy as it was.')
                : new Claim('deletes', $feed->capture === Capture::Trigger && $source->triggersMiss !== null ? 'at risk' : 'kept', 'Deletes are seen', match (true) {
                    $feed->capture === Capture::Trigger && $source->triggersMiss !== null => 'Those that fire a trigger.',
                    $feed->landing === Landing::Append => 'A delete is an entry of the journal.',
                    $feed->landing === Landing::Versions => 'A delete ends the row\'s last version.',
                    default => $feed->deletes->explanation(),
                });
        }

        if ($feed->capture === Capture::Files) {
            return new Claim('deletes', 'not given', 'Deletes are not seen', 'A file that is removed, and a row that is no longer in a file taken again, stay in the copy.');
        }

        return $feed->capture === Capture::Reload && $feed->landing === Landing::Replace
            ? new Claim('deletes', 'kept', 'Deletes are seen', 'The table is swapped whole; a row that is gone at the source is gone after the next reload.')
            : new Claim('deletes', 'not given', 'Deletes are not seen', $feed->capture === Capture::Reload
                ? "Landing {$feed->landing->value} never removes a row."
                : 'A deleted row has no watermark to be found by. It lives on in the copy.');
    }

    private static function lateCommits(FeedDefinition $feed, SourceCapabilities $source): Claim
    {
        if ($feed->capture->bringsChanges()) {
            return new Claim('late commits', 'kept', 'Late commits are covered', $feed->capture === Capture::Log
                ? 'The log is in the order of commits, so nothing can slip in behind the position.'
                : 'What is still open while changes are read is known, and belongs to a later reading.');
        }
        if ($feed->capture === Capture::Files) {
            return new Claim('late commits', 'kept', 'Late files are covered', "A file is taken whenever it appears, whatever its name or time. It is left alone until nobody has written to it for {$feed->files?->quiet} s, and read only as long as it stays the same.");
        }
        if ($feed->capture === Capture::Reload) {
            return new Claim('late commits', 'kept', 'Late commits are covered', 'The next reload reads them like any other row.');
        }
        if (! $source->seesOpenTransactions) {
            return $feed->overlap > 0
                ? new Claim('late commits', 'at risk', 'Late commits are covered within the overlap', "Open transactions of others cannot be seen here; {$feed->overlap} ".self::unit($feed).' before each window are read again.')
                : new Claim('late commits', 'at risk', 'Late commits may be missed', 'Open transactions of others cannot be seen with this account. '.($source->grantToSeeOpen === null ? 'Set an overlap.' : "{$source->grantToSeeOpen}, or set an overlap."));
        }

        return new Claim('late commits', 'kept', 'Late commits are covered', $feed->watermarkMode() === WatermarkMode::Moment
            ? 'Each window ends before the start of the oldest transaction still open, by the source\'s clock.'
            : 'A value bounds a window only once every transaction open when it was seen has ended.');
    }

    private static function order(FeedDefinition $feed): Claim
    {
        if ($feed->capture === Capture::Files) {
            return new Claim('order', 'kept', 'In the order in which files were written', 'Each file lands whole, and of rows with one key the last counts. A file that comes late with an old time lands after newer ones.');
        }
        if ($feed->capture === Capture::Trigger) {
            return new Claim('order', 'kept', 'In order for every row', 'Transactions that changed the same row land in the order of their commits; others may change places among each other, but each lands whole.');
        }
        if ($feed->capture === Capture::Log) {
            return new Claim('order', 'kept', 'In order of the commits', 'Once the first load is done, the copy is at every moment as the source was after one of its transactions.');
        }

        return $feed->capture === Capture::Reload
            ? new Claim('order', 'kept', 'As of one moment', 'All rows come from one statement, and readers see either the old table or the new one.')
            : new Claim('order', 'kept', 'In order of the watermark', 'Rows of one source transaction may land in two batches, so the copy can be between two states of the source.');
    }

    /** What of the doings of others is noticed. */
    private static function byHand(FeedDefinition $feed, TargetCapabilities $target): Claim
    {
        if ($feed->capture === Capture::Reload && $feed->landing === Landing::Replace) {
            return new Claim('meddling', 'kept', 'What others change in the copy goes with the next reload', 'Every reload builds the table anew.');
        }
        $copy = $target->noticesTampering ? 'A landed table that somebody drops, replaces or empties, or of which a column is dropped and added again, holds the feed until it is loaded again. ' : '';
        $source = $feed->capture->bringsChanges() ? 'A source table that is replaced, and what is done to what records its changes, is noticed within moments and healed by loading it again. ' : '';

        return new Claim('meddling', 'at risk', 'Rows that others change in the copy stay changed', "{$copy}{$source}Single rows that are written by hand in the copy are not noticed; loading the table again mends them.");
    }

    /** @return list<Claim> what is kept out of the copy; none where nothing is */
    private static function keptOut(FeedDefinition $feed): array
    {
        return [...($feed->files === null ? [] : [new Claim('completeness', 'at risk', 'Lines that cannot be read wait to be mended', 'A line that is not as the feed expects is set aside with its number, a file that is broken or of another shape as a whole; all others land.')]), ...self::choices($feed)];
    }

    /** @return list<Claim> what the treatment keeps out by choice */
    private static function choices(FeedDefinition $feed): array
    {
        $outcomes = array_filter([$feed->treatment->isEmpty() ? null : $feed->treatment->failing, ...array_map(static fn (Check $c): ?Outcome => $c->else, $feed->treatment->checks)]);
        $drops = in_array(Outcome::Drop, $outcomes, true);
        if (! $drops && ! in_array(Outcome::SetAside, $outcomes, true)) {
            return [];
        }
        $aside = in_array(Outcome::SetAside, $outcomes, true) ? ' Those set aside wait with their reason until they are sent again or let go.' : '';

        return [new Claim('completeness', 'at risk', $drops ? 'Records that fail are kept out, some for good' : 'Records that fail are kept out until they are mended', "By choice, as the feed's checks say.{$aside}".($feed->landing === Landing::Upsert ? ' A row that had landed stays as it was meanwhile.' : ''))];
    }

    private static function unit(FeedDefinition $feed): string
    {
        return $feed->watermarkMode() === WatermarkMode::Moment ? 'seconds' : 'units';
    }

    /** @return list<array{subject: string, strength: string, headline: string, reason: string}> */
    public function toArray(): array
    {
        return array_map(static fn (Claim $c): array => $c->toArray(), $this->claims);
    }
}
