<?php

declare(strict_types=1);

namespace App\Pages;

use App\Models\Feed;
use App\Runtime\Common\Systems;
use Carbon\CarbonImmutable;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\LandedHistory;
use Lighterman\Core\Port\TargetSystem;

/** Every change to one key, with the time it was made, landed and superseded; in units of 1220 wide and a lane for each change. */
final readonly class RowLife
{
    private const LEFT = 12;

    private const RIGHT = 1208;

    /** @param  list<array{kind: string, place: string, made: CarbonImmutable, landed: CarbonImmutable|null, until: CarbonImmutable|null, values: array<string, string|null>, changed: list<string>}>  $versions */
    private function __construct(public array $versions, public bool $cut, private float $since, private float $until)
    {
    }

    /** Whether the feed's landing keeps what a row was before. */
    public static function isKept(FeedDefinition $definition): bool
    {
        return $definition->kind()->bringsChanges() && $definition->destination->landing->keepsPast();
    }

    /** @param  array<string, string>  $key */
    public static function of(Feed $feed, FeedDefinition $definition, array $key, Systems $systems): self
    {
        $history = self::history($definition, $key, $systems->target($feed->route->target));
        $versions = [];
        $before = null;
        foreach ($history->entries as $i => $entry) {
            $next = $history->entries[$i + 1] ?? null;
            $changed = $before === null || $entry->kind === 'delete' ? [] : array_keys(array_filter($entry->values, static fn (?string $v, string $c): bool => ! in_array($c, $entry->notSent, true) && $v !== ($before[$c] ?? null), ARRAY_FILTER_USE_BOTH));
            $versions[] = [
                'kind' => $entry->kind, 'place' => $entry->place, 'made' => CarbonImmutable::parse($entry->madeAt), 'landed' => $entry->landedAt === null ? null : CarbonImmutable::parse($entry->landedAt),
                'until' => $next === null ? null : CarbonImmutable::parse($next->madeAt), 'values' => $entry->values, 'changed' => $changed,
            ];
            $before = $entry->kind === 'delete' ? null : array_merge($before ?? [], array_diff_key($entry->values, array_flip($entry->notSent)));
        }
        $since = $versions === [] ? 0.0 : (float) $versions[0]['made']->format('U.u');
        $until = (float) now()->format('U.u');

        return new self($versions, $history->cut, $since - max(1.0, ($until - $since) * 0.02), $until);
    }

    /**
     * A row may have been in the tables of several forks. What is entered in all of them is told once.
     *
     * @param  array<string, string>  $key  of the source
     */
    private static function history(FeedDefinition $definition, array $key, TargetSystem $target): LandedHistory
    {
        $values = array_map(static fn (string $column): string => $key[$column], $definition->origin->key);
        $entries = [];
        $cut = false;
        foreach ($definition->landedTable()->tables() as $table) {
            $history = $target->history($table, array_combine($table->key, $values), LandedHistory::MOST);
            $cut = $cut || $history->cut;
            foreach ($history->entries as $entry) {
                $entries[$entry->place] ??= $entry;
            }
        }
        ksort($entries, SORT_STRING);

        return new LandedHistory(array_slice(array_values($entries), -LandedHistory::MOST), $cut || count($entries) > LandedHistory::MOST);
    }

    public function x(CarbonImmutable $at): float
    {
        return round(self::LEFT + ((float) $at->format('U.u') - $this->since) / max(1e-3, $this->until - $this->since) * (self::RIGHT - self::LEFT), 1);
    }

    public function now(): CarbonImmutable
    {
        return CarbonImmutable::createFromTimestamp($this->until);
    }

    /** @return list<array{x: float, label: string}> */
    public function times(): array
    {
        return Charts::times($this->since, $this->until, fn (float $t): float => $this->x(CarbonImmutable::createFromTimestamp($t)), 'H:i:s');
    }
}
