<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/** Gathers changes as versions, linked within each key. */
final class Versions implements ChangePlan
{
    /** @var array<array-key, list<Version>> */
    private array $chains = [];

    private int $changes = 0;

    private int $lines = 0;

    public function __construct(private readonly KeyOf $key)
    {
    }

    public function add(Change $change, SourceCommit $commit): void
    {
        $this->changes++;
        $place = $commit->place->ofChange($change->number);
        if ($change->after === null) {
            $this->end($this->key->text($change->before ?? []), $change->before ?? [], $place, $commit->at);

            return;
        }
        $row = RowAfter::of($change->after, $change->before, $this->key, function (string $key): ?array {
            $chain = $this->chains[$key] ?? [];
            $earlier = $chain[count($chain) - 1] ?? null;

            return $earlier === null || $earlier->kind === 'delete' ? null : [$earlier->row, $earlier->from];
        });
        if ($row->leaves !== null) {
            $this->changes++;
            // The row leaves its old key; both halves stand at one place, of different keys.
            $this->end($row->leaves, $change->before ?? [], $place, $commit->at);
        }
        $this->append($row->key, new Version($change->kind, $row->row, $row->from, $place, $commit->at));
    }

    /** @param  list<string|false|null>  $before */
    private function end(string $key, array $before, string $place, int $at): void
    {
        $this->append($key, new Version('delete', array_map(static fn (string|false|null $v): ?string => $v === false ? null : $v, $before), null, $place, $at));
    }

    private function append(string $key, Version $version): void
    {
        $this->chains[$key][] = $version;
        $this->lines++;
    }

    public function changes(): int
    {
        return $this->changes;
    }

    public function lines(): int
    {
        return $this->lines;
    }

    /** @return iterable<list<Version>> the versions of one key after another, linked among themselves */
    public function chains(): iterable
    {
        foreach ($this->chains as $chain) {
            yield VersionChain::linked($chain);
        }
    }

    public function keys(): iterable
    {
        foreach ($this->chains as $chain) {
            yield $this->key->values($chain[0]->row);
        }
    }

    public function clear(): void
    {
        $this->chains = [];
        $this->changes = $this->lines = 0;
    }
}
