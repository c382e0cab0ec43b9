<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/**
 * The net change per key: a row changed a thousand times is written once, one that came and went not at all.
 *
 * A change of the key itself is a delete of the old key and a write of the new one. Values the source did not send are
 * taken from earlier changes to the same row where there are any, else left to the landed row.
 */
final class NetChanges implements ChangePlan
{
    /** @var array<array-key, NetChange> */
    private array $net = [];

    private int $changes = 0;

    public function __construct(private readonly KeyOf $key)
    {
    }

    public function add(Change $change, SourceCommit $commit): void
    {
        $this->changes++;
        $after = $change->after;
        if ($after === null) {
            $before = $change->before ?? [];
            $this->net[$this->key->text($before)] = new NetChange(true, $before, null, $commit);

            return;
        }
        $row = RowAfter::of($after, $change->before, $this->key, function (string $key): ?array {
            $earlier = $this->net[$key] ?? null;

            return $earlier === null || $earlier->delete ? null : [$earlier->row, $earlier->from];
        });
        if ($row->leaves !== null) {
            $this->changes++;
            $this->net[$row->leaves] = new NetChange(true, $change->before ?? [], null, $commit);
        }
        $this->net[$row->key] = new NetChange(false, $row->row, $row->from, $commit);
    }

    public function changes(): int
    {
        return $this->changes;
    }

    public function lines(): int
    {
        return count($this->net);
    }

    /** @return iterable<NetChange> */
    public function net(): iterable
    {
        return $this->net;
    }

    public function keys(): iterable
    {
        foreach ($this->net as $net) {
            if (! $net->delete) {
                yield $this->key->values($net->row);
            }
        }
    }

    public function clear(): void
    {
        $this->net = [];
        $this->changes = 0;
    }
}
