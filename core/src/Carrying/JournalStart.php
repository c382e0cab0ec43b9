<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Landing\SourceCommit;

/**
 * Changes to the table of a journal while its first load goes on.
 *
 * The journal of a row begins with its load. A change to a row that the load has passed is an entry; one to a row that is
 * still ahead comes with the load, and would be told twice if it were entered. Which rows have been passed only the source
 * can say, so changes are held until it has been asked for many together.
 */
final class JournalStart
{
    /** @var list<array{Change, SourceCommit}> */
    private array $held = [];

    public function __construct(private readonly KeyOf $key)
    {
    }

    public function hold(Change $change, SourceCommit $commit): void
    {
        // What an update does not say of a row may stand in what it says of the row before.
        $this->held[] = [$change->after === null || $change->before === null ? $change : new Change($change->kind, $change->before, Change::filled($change->after, $change->before), $change->number), $commit];
    }

    /** What was held comes again. */
    public function forget(): void
    {
        $this->held = [];
    }

    public function isEmpty(): bool
    {
        return $this->held === [];
    }

    /** @return array<string, list<string>> keys that the changes held are about, by their text */
    public function keys(): array
    {
        $keys = [];
        foreach ($this->held as [$change]) {
            foreach ([$change->before, $change->after] as $row) {
                if ($row !== null && $this->key->isSaid($row)) {
                    $keys['k'.$this->key->text($row)] = $this->key->values($row);
                }
            }
        }

        return $keys;
    }

    /**
     * Gives the entries among what was held, and brings the chunk on its way up to the rest.
     *
     * @param  array<string, bool>  $passed  whether the load has passed a key, by its text
     * @param  array<string, bool>|null  $inChunk  whether a key belongs to the chunk on its way, by its text; null where there is none
     * @return array{list<array{Change, SourceCommit}>, list<list<string>>} entries, and keys of the chunk's rows of which not everything is known, so that they have to be read again
     */
    public function settle(array $passed, ?array $inChunk, ?Window $window): array
    {
        $entries = [];
        $unknown = [];
        foreach ($this->held as [$change, $commit]) {
            $after = $change->after === null ? null : 'k'.$this->key->text($change->after);
            $before = $change->before !== null && $this->key->isSaid($change->before) ? 'k'.$this->key->text($change->before) : $after;
            $left = $change->kind !== 'insert' && $before !== null && $passed[$before];
            $came = $after !== null && $passed[$after];
            $entry = match (true) {
                $left && ! $came && $after !== null => new Change('delete', $change->before ?? $change->after, null, $change->number),
                // The row comes to where the load has been, so that no load will bring it.
                ! $left && $came && $change->kind !== 'insert' => new Change('load', null, $change->after, $change->number),
                $left || $came => $change,
                default => null,
            };
            if ($entry !== null) {
                $entries[] = [$entry, $commit];
            }
            if ($window !== null && $inChunk !== null) {
                $now = ! $came && $after !== null && $inChunk[$after] ? $change->after : null;
                if (! $window->follow(! $left && $change->kind !== 'insert' && $before !== null ? substr($before, 1) : null, $now)) {
                    $unknown[] = $this->key->values($now ?? []);
                }
            }
        }
        $this->held = [];

        return [$entries, $unknown];
    }
}
