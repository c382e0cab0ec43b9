<?php

declare(strict_types=1);

namespace Lighterman\Core\Latency;

/** Share of looked-at minutes in which a feed was not further behind than promised. */
final readonly class PromiseKept
{
    private function __construct(public int $minutes, public int $kept)
    {
    }

    /** @param  iterable<float>  $behind seconds behind, one per minute, the worst of each */
    public static function over(iterable $behind, float $promise): self
    {
        $minutes = $kept = 0;
        foreach ($behind as $seconds) {
            $minutes++;
            $kept += (int) ($seconds <= $promise);
        }

        return new self($minutes, $kept);
    }

    public static function counted(int $minutes, int $kept): self
    {
        return new self($minutes, $kept);
    }

    /** Between 0 and 1; null when no minute has been looked at. */
    public function share(): ?float
    {
        return $this->minutes === 0 ? null : $this->kept / $this->minutes;
    }
}
