<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

/** How far a load has come. */
final readonly class LoadProgress
{
    /**
     * @param  int  $rows  landed
     * @param  int|null  $of  expected; null where that is not known
     * @param  float  $since  when this run of it began, seconds since 1970
     * @param  int  $sinceRows  landed by then
     */
    public function __construct(public int $rows, public ?int $of, public float $since, public int $sinceRows)
    {
    }

    public function plus(int $rows): self
    {
        return new self($this->rows + $rows, $this->of, $this->since, $this->sinceRows);
    }

    /**
     * Rows a second since this run of the load began; null in its first second.
     *
     * @param  float  $now  seconds since 1970
     */
    public function rate(float $now): ?float
    {
        return $now - $this->since < 1 ? null : ($this->rows - $this->sinceRows) / ($now - $this->since);
    }

    /** @return float|null seconds until it ends at this rate; null where that cannot be told */
    public function left(float $now): ?float
    {
        $rate = $this->rate($now);

        return ! $rate || $this->of === null || $this->rows >= $this->of ? null : ($this->of - $this->rows) / $rate;
    }

    /** The share that has landed, below 1 for what is expected is an estimate; null where it is not known. */
    public function share(): ?float
    {
        return ! $this->of ? null : min(0.99, $this->rows / $this->of);
    }

    /** @return array{rows: int, of: int|null, since: float, sinceRows: int} */
    public function toArray(): array
    {
        return ['rows' => $this->rows, 'of' => $this->of, 'since' => $this->since, 'sinceRows' => $this->sinceRows];
    }

    /** @param  array<string, mixed>  $data  as toArray() gives it */
    public static function fromArray(array $data): self
    {
        return new self($data['rows'], $data['of'], $data['since'], $data['sinceRows']);
    }
}
