<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

/** Marks that are written into a stream now and then: one that comes back proves that it has been read up to it. */
final class Heartbeat
{
    private const SECONDS = 2.0;

    /** Number of the one written last; null before the first. */
    private ?int $number = null;

    private bool $came = false;

    private float $at = 0.0;

    /** @param  float  $now  seconds, by a clock that goes on evenly */
    public function isDue(float $now): bool
    {
        return $now - $this->at >= self::SECONDS && ($this->number === null || $this->came);
    }

    public function isWritten(): bool
    {
        return $this->number !== null;
    }

    public function writes(int $number, float $now): void
    {
        [$this->number, $this->came, $this->at] = [$number, false, $now];
    }

    public function comes(int $number): void
    {
        $this->came = $this->came || $number === $this->number;
    }

    public function hasCome(): bool
    {
        return $this->came;
    }
}
