<?php

declare(strict_types=1);

namespace Lighterman\Core\Latency;

use InvalidArgumentException;

/**
 * Counts of durations in buckets whose bounds grow by a constant factor, so that any percentile is known with a relative
 * error of at most 2 % and histograms of any spans can be added up.
 *
 * Bucket i holds the values in (γ^(i-1), γ^i] milliseconds with γ = 1.02/0.98, and stands for the value 2γ^i/(γ+1), which
 * is within 2 % of each of them. Durations up to 0.1 ms, and negative ones, count as 0.
 *
 * @see https://arxiv.org/abs/1908.10693 section 2.1, for the bound on the error
 */
final class Histogram
{
    public const RELATIVE_ERROR = 0.02;

    private const GAMMA = (1 + self::RELATIVE_ERROR) / (1 - self::RELATIVE_ERROR);

    private const SMALLEST = 0.1;

    /** The bucket of what counts as 0. */
    private const ZERO = -1000;

    /** @var array<int, int> count by bucket */
    private array $counts = [];

    private int $total = 0;

    private float $worst = 0.0;

    public function add(float $milliseconds, int $count = 1): void
    {
        $bucket = $milliseconds <= self::SMALLEST ? self::ZERO : (int) ceil(log($milliseconds) / log(self::GAMMA));
        $this->counts[$bucket] = ($this->counts[$bucket] ?? 0) + $count;
        $this->total += $count;
        $this->worst = max($this->worst, $milliseconds);
    }

    public function merge(self $other): void
    {
        foreach ($other->counts as $bucket => $count) {
            $this->counts[$bucket] = ($this->counts[$bucket] ?? 0) + $count;
        }
        $this->total += $other->total;
        $this->worst = max($this->worst, $other->worst);
    }

    public function total(): int
    {
        return $this->total;
    }

    /** The greatest duration, exactly, in milliseconds. */
    public function worst(): float
    {
        return $this->worst;
    }

    /**
     * The duration that a share of all does not exceed.
     *
     * @param  float  $share  over 0, up to 1
     * @return float|null milliseconds, within 2 %; null when nothing was counted
     */
    public function percentile(float $share): ?float
    {
        if ($share <= 0 || $share > 1) {
            throw new InvalidArgumentException("{$share} is not a share over 0 and up to 1.");
        }
        $left = (int) ceil($share * $this->total);
        ksort($this->counts);
        foreach ($this->counts as $bucket => $count) {
            $left -= $count;
            if ($left <= 0) {
                return self::value($bucket);
            }
        }

        return null;
    }

    /**
     * Counts by wider classes, for drawing.
     *
     * @param  list<float>  $bounds  upper bounds in milliseconds, growing
     * @return list<int> one more than bounds: the last is what lies above
     */
    public function classes(array $bounds): array
    {
        $classes = array_fill(0, count($bounds) + 1, 0);
        foreach ($this->counts as $bucket => $count) {
            $at = 0;
            while ($at < count($bounds) && self::value($bucket) > $bounds[$at]) {
                $at++;
            }
            $classes[$at] += $count;
        }

        return array_values($classes);
    }

    private static function value(int $bucket): float
    {
        return $bucket === self::ZERO ? 0.0 : 2 * self::GAMMA ** $bucket / (self::GAMMA + 1);
    }

    public function toJson(): string
    {
        ksort($this->counts);

        return json_encode(['counts' => (object) $this->counts, 'worst' => round($this->worst, 3)], JSON_THROW_ON_ERROR);
    }

    /** @throws InvalidArgumentException if it is not what toJson() gave */
    public static function fromJson(string $json): self
    {
        $data = json_decode($json, true);
        if (! is_array($data) || ! is_array($data['counts'] ?? null)) {
            throw new InvalidArgumentException('This is not a stored histogram.');
        }
        $histogram = new self;
        $histogram->counts = array_map(intval(...), $data['counts']);
        $histogram->total = array_sum($histogram->counts);
        $histogram->worst = (float) ($data['worst'] ?? 0);

        return $histogram;
    }
}
