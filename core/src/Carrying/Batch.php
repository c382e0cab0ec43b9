<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Position\Place;

/** What has been taken from a stream since the last commit in the target. */
final class Batch
{
    /** Changes and bytes held in memory before they are written; more of one transaction is written in parts. */
    public const CHANGES = 20_000;

    public const BYTES = 6 << 20;

    /** Place after the last whole transaction taken; null when there is none. */
    public ?Place $to = null;

    /** Commit time of the last whole transaction, microseconds. */
    public int $committedAt = 0;

    /** When its first transaction was complete, by the steady clock. */
    public ?float $since = null;

    public readonly Spent $spent;

    /** Whether a transaction of the target is open for it. */
    public bool $begun = false;

    /** Whether a part of it is written that is in memory no more. */
    public bool $inParts = false;

    private int $held = 0;

    private int $heldBytes = 0;

    /** @var array<int, Carrier> whose positions move with this batch */
    private array $touched = [];

    /** @var array<int, Window> chunks that land with it, by feed */
    private array $chunks = [];

    /** @var array<int, list<array{SourceCommit, SpooledChange}>> changes as they came, by feed, so that one can be left behind */
    private array $came = [];

    public function __construct()
    {
        $this->spent = new Spent;
    }

    public function full(): bool
    {
        return $this->held >= self::CHANGES || $this->heldBytes >= self::BYTES;
    }

    public function pending(): bool
    {
        return $this->touched !== [];
    }

    public function isEmpty(): bool
    {
        return $this->held === 0;
    }

    /** @return array<int, Carrier> */
    public function touched(): array
    {
        return $this->touched;
    }

    public function touches(Carrier $carrier): bool
    {
        return isset($this->touched[$carrier->feed->id]);
    }

    public function touch(Carrier $carrier): void
    {
        $this->touched[$carrier->feed->id] = $carrier;
    }

    /** @param  SpooledChange|null  $change  as it came; null where nobody else of the route would have to wait */
    public function took(Carrier $carrier, SourceCommit $commit, ?SpooledChange $change): void
    {
        $this->held++;
        $this->touch($carrier);
        if ($change !== null) {
            $this->came[$carrier->feed->id][] = [$commit, $change];
        }
    }

    public function tookChunk(Carrier $carrier, Window $window): void
    {
        $this->held += count($window->rows);
        $this->heldBytes += $window->chunk->bytes;
        $this->chunks[$carrier->feed->id] = $window;
        $this->touch($carrier);
    }

    /** @param  int  $bytes  of the message that was taken */
    public function weighs(int $bytes): void
    {
        $this->heldBytes += $bytes;
    }

    public function chunkOf(Carrier $carrier): ?Window
    {
        return $this->chunks[$carrier->feed->id] ?? null;
    }

    public function hasChunks(): bool
    {
        return $this->chunks !== [];
    }

    /** What was held is written within the target's transaction, and leaves the memory. */
    public function wrotePart(): void
    {
        $this->inParts = true;
        $this->held = $this->heldBytes = 0;
        $this->came = [];
        foreach ($this->touched as $carrier) {
            $carrier->plan->clear();
        }
    }

    /**
     * One feed does not land with the others.
     *
     * @return list<array{SourceCommit, SpooledChange}> its changes, as they came
     */
    public function leave(Carrier $carrier): array
    {
        $came = $this->came[$carrier->feed->id] ?? [];
        unset($this->touched[$carrier->feed->id], $this->chunks[$carrier->feed->id], $this->came[$carrier->feed->id]);

        return $came;
    }
}
