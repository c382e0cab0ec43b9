<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

/** When the changes of one feed were committed that land together. */
final class CommitTimes
{
    /** Changes taken from the transaction being read. */
    private int $taken = 0;

    /** @var array<int, int> changes of the transaction being read, by when they were made, where that is known of each */
    private array $made = [];

    /** @var array<int, int> changes that were held until it was known whether they are entries, by when they were made */
    private array $entered = [];

    /** @var list<array{int, int}> commit time in microseconds and number of changes */
    private array $commits = [];

    public function taken(): void
    {
        $this->taken++;
    }

    /**
     * Notes when a change was made. A unit of changes may span hours, so their times are rounded: to a millisecond, and
     * once there are many to a tenth of a second, which is little beside such a span.
     *
     * @param  int  $at  microseconds
     */
    public function made(int $at): void
    {
        $step = count($this->made) < 5000 ? 1_000 : 100_000;
        $at -= $at % $step;
        $this->made[$at] = ($this->made[$at] ?? 0) + 1;
    }

    /**
     * A change that was held lands as an entry of its own.
     *
     * @param  int  $at  microseconds
     */
    public function entered(int $at): void
    {
        $this->entered[$at] = ($this->entered[$at] ?? 0) + 1;
    }

    /** The transaction being read is complete. */
    public function committed(int $at): void
    {
        foreach ($this->made as $made => $changes) {
            $this->commits[] = [$made, $changes];
        }
        $rest = $this->taken - array_sum($this->made);
        if ($rest > 0) {
            $this->commits[] = [$at, $rest];
        }
        $this->taken = 0;
        $this->made = [];
    }

    /** Changes of all transactions that are complete. */
    public function changes(): int
    {
        return array_sum(array_column($this->commits, 1)) + array_sum($this->entered);
    }

    /** @return list<array{int, int}> commit time in microseconds and number of changes, of every transaction since the last call */
    public function take(): array
    {
        $commits = $this->commits;
        foreach ($this->entered as $at => $changes) {
            $commits[] = [$at, $changes];
        }
        $this->commits = $this->entered = [];

        return $commits;
    }

    /** What was taken does not land with the rest. */
    public function forget(): void
    {
        $this->taken = 0;
        $this->made = $this->commits = $this->entered = [];
    }
}
