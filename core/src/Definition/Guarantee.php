<?php

declare(strict_types=1);

namespace Lighterman\Core\Definition;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Guarantee\Claim;
use Lighterman\Core\Guarantee\SourceCapabilities;
use Lighterman\Core\Guarantee\TargetCapabilities;
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
        $kind = $feed->kind();
        $chosen = $feed->chosen();

        return new self([
            $target->transactional ? $kind->delivery($chosen) : new Claim('delivery', 'at risk', 'At least once', 'The target cannot commit rows and position together, so a crash in between delivers a batch again.'),
            $kind->changes($chosen, $source, $facts),
            $kind->deletes($chosen, $source),
            ...self::keys($feed, $source),
            $kind->lateCommits($chosen, $source),
            $kind->order(),
            self::byHand($feed, $target),
            ...self::keptOut($feed),
            ...($target->outsiders === null ? [] : [new Claim('outside readers', 'at risk', 'Through the catalogue only', $target->outsiders)]),
        ]);
    }

    /** @return list<Claim> what becomes of a row that gets another key, where a query shows rows only as they are */
    private static function keys(FeedDefinition $feed, SourceCapabilities $source): array
    {
        if ($feed->kind()->bringsChanges() || $feed->origin->files !== null || ! $feed->destination->landing->merges() || $feed->origin->key === []) {
            return [];
        }
        $text = array_filter($feed->origin->key, static fn (string $c): bool => $feed->origin->shape->column($c)?->type->kind->isText() === true);
        $spelt = $text === [] || $source->spellings === null ? '' : " {$source->spellings} In the copy a key is its bytes, so that one which is spelt otherwise from then on is another.";

        return [new Claim('keys', 'not given', 'A row whose key changes stays under the old one too', "A query shows rows as they are, and not which key they had before.{$spelt} Capture log or trigger, or a reload that replaces, follows it.")];
    }

    /** What of the doings of others is noticed. */
    private static function byHand(FeedDefinition $feed, TargetCapabilities $target): Claim
    {
        if ($feed->kind()->readsWhole() && $feed->destination->landing->swaps()) {
            return new Claim('meddling', 'kept', 'What others change in the copy goes with the next reload', 'Every reload builds the table anew.');
        }
        $copy = $target->noticesTampering ? 'A landed table that somebody drops, replaces or empties, or of which a column is dropped and added again, holds the feed until it is loaded again. ' : '';

        return new Claim('meddling', 'at risk', 'Rows that others change in the copy stay changed', "{$copy}{$feed->kind()->noticed()}Single rows that are written by hand in the copy are not noticed; loading the table again mends them.");
    }

    /** @return list<Claim> what is kept out of the copy; none where nothing is */
    private static function keptOut(FeedDefinition $feed): array
    {
        return [...($feed->origin->files === null ? [] : [new Claim('completeness', 'at risk', 'Lines that cannot be read wait to be mended', 'A line that is not as the feed expects is set aside with its number, a file that is broken or of another shape as a whole; all others land.')]), ...self::lists($feed), ...self::choices($feed)];
    }

    /** @return list<Claim> */
    private static function lists(FeedDefinition $feed): array
    {
        $list = $feed->treatment->explode?->column;

        return $list === null || ! $feed->destination->landing->adds() ? [] : [new Claim('completeness', 'not given', "Elements that {$list} loses stay", 'Every state of a row that is seen adds its elements; those of the state before stay beside them. Landing upsert, and replace by reload, hold the lists as they are.')];
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

        return [new Claim('completeness', 'at risk', $drops ? 'Records that fail are kept out, some for good' : 'Records that fail are kept out until they are mended', "By choice, as the feed's checks say.{$aside}".($feed->destination->landing->merges() ? ' A row that had landed stays as it was meanwhile.' : ''))];
    }

    /** @return list<array{subject: string, strength: string, headline: string, reason: string}> */
    public function toArray(): array
    {
        return array_map(static fn (Claim $c): array => $c->toArray(), $this->claims);
    }
}
