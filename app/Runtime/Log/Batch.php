<?php

declare(strict_types=1);

namespace App\Runtime\Log;

/** What has been taken from the log since the last commit in the target. */
final class Batch
{
    /** Changes and bytes held in memory before they are written; more of one transaction is written in parts. */
    public const CHANGES = 20_000;

    public const BYTES = 6 << 20;

    /** Place after the last whole transaction taken; 0 when there is none. */
    public int $to = 0;

    public int $changes = 0;

    public int $held = 0;

    public int $heldBytes = 0;

    /** Commit time of the last whole transaction, microseconds. */
    public int $committedAt = 0;

    public ?float $since = null;

    public float $reading = 0.0;

    public float $treating = 0.0;

    public float $landing = 0.0;

    public bool $begun = false;

    /** @var array<int, Carrier> whose positions move with this batch */
    public array $touched = [];

    /** @var array<int, Window> chunks that land with it, by feed */
    public array $chunks = [];

    public function full(): bool
    {
        return $this->held >= self::CHANGES || $this->heldBytes >= self::BYTES;
    }

    public function pending(): bool
    {
        return $this->touched !== [];
    }
}
