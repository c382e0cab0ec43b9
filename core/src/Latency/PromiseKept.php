<?php

declare(strict_types=1);

namespace Lighterman\Core\Latency;

/**
 * Minutes in which feeds were not further behind than promised, among those that count.
 *
 * A minute counts whoever was to blame for it: also while the source, the target or the workers were down, while a feed was held or
 * had failed, and while a table was loaded again. Three kinds do not count, and are told apart: minutes in which a person had
 * paused the feed, minutes before its first load was complete, and minutes in which nobody looked, because Lighterman itself was
 * not running.
 */
final readonly class PromiseKept
{
    private function __construct(public int $minutes, public int $kept, public int $paused, public int $before, public int $unseen)
    {
    }

    /**
     * @param  int  $all  minutes since the feeds were made, within the time looked at
     * @param  int  $minutes  those that count
     * @param  int  $kept  of those that count
     * @param  int  $paused  minutes
     * @param  int  $before  minutes
     */
    public static function counted(int $all, int $minutes, int $kept, int $paused, int $before): self
    {
        return new self($minutes, $kept, $paused, $before, max(0, $all - $minutes - $paused - $before));
    }

    /** Between 0 and 1; null when no minute counts. */
    public function share(): ?float
    {
        return $this->minutes === 0 ? null : $this->kept / $this->minutes;
    }

    /** @return array<string, int> minutes that do not count, by why */
    public function leftOut(): array
    {
        return array_filter(['paused' => $this->paused, 'before the first load was complete' => $this->before, 'not looked at' => $this->unseen]);
    }
}
