<?php

declare(strict_types=1);

namespace App\Pages;

use App\Support\Say;
use Lighterman\Core\Port\QueryResult;

/**
 * A plain picture of a result: the first column along the bottom, every column of numbers upward. Bars, or lines where the
 * first column is a time.
 */
final readonly class ResultChart
{
    public const WIDTH = 1180;

    public const HEIGHT = 230;

    private const LEFT = 70;

    /** Room for half of the last label. */
    private const RIGHT = 40;

    private const BOTTOM = 200;

    private const TOP = 12;

    /** More rows than this cannot be told apart. */
    private const MOST = 120;

    private const SERIES = 3;

    /**
     * @param  list<string>  $labels
     * @param  array<string, list<float|null>>  $series  by column
     */
    private function __construct(public array $labels, public array $series, public bool $line, private float $least, private float $most)
    {
    }

    /** Null where there is nothing to draw: no column of numbers, one row, or too many. */
    public static function of(QueryResult $result): ?self
    {
        $numeric = array_keys(array_filter($result->columns, static fn (array $c, int $i): bool => $i > 0 && $c['numeric'], ARRAY_FILTER_USE_BOTH));
        if ($numeric === [] || count($result->rows) < 2 || count($result->rows) > self::MOST) {
            return null;
        }
        $series = [];
        foreach (array_slice($numeric, 0, self::SERIES) as $i) {
            $series[$result->columns[$i]['name']] = array_map(static fn (array $row): ?float => is_numeric($row[$i]) ? (float) $row[$i] : null, $result->rows);
        }
        $values = array_filter(array_merge(...array_values($series)), static fn (?float $v): bool => $v !== null);
        if ($values === []) {
            return null;
        }
        $labels = array_map(static fn (array $row): string => $row[0] ?? 'null', $result->rows);
        $times = array_filter($labels, static fn (string $l): bool => (bool) preg_match('/^\d{4}-\d\d(-\d\d)?([ T]\d\d:\d\d.*)?$/', $l));

        return new self($labels, $series, count($times) === count($labels), min(0.0, ...$values), max(0.0, ...$values));
    }

    public function x(int $row): float
    {
        return round(self::LEFT + ($row + 0.5) * $this->step(), 1);
    }

    public function y(float $value): float
    {
        return round(self::BOTTOM - ($value - $this->least) / max(1e-12, $this->most - $this->least) * (self::BOTTOM - self::TOP), 1);
    }

    private function step(): float
    {
        return (self::WIDTH - self::LEFT - self::RIGHT) / count($this->labels);
    }

    /** Width of one bar, where those of a row stand side by side. */
    public function bar(): float
    {
        return round(max(1.0, $this->step() * 0.8 / count($this->series)), 1);
    }

    /** Left edge of a bar. */
    public function left(int $row, int $series): float
    {
        return round($this->x($row) - $this->bar() * count($this->series) / 2 + $series * $this->bar(), 1);
    }

    /** @param  list<float|null>  $values */
    public function path(array $values): string
    {
        $path = '';
        $pen = 'M';
        foreach ($values as $row => $value) {
            if ($value === null) {
                $pen = 'M';
            } else {
                $path .= "{$pen}{$this->x($row)} {$this->y($value)} ";
                $pen = 'L';
            }
        }

        return trim($path);
    }

    /** @return array<string, float> where lines are drawn across, by what is written beside them */
    public function ticks(): array
    {
        $step = Charts::ticks($this->most - $this->least)[1];
        $ticks = [];
        foreach (range((int) ceil($this->least / $step), (int) floor($this->most / $step)) as $n) {
            $value = $n * $step;
            $ticks[abs($value) >= 10_000 ? ($value < 0 ? '−' : '').Say::short(abs($value)) : rtrim(rtrim(number_format($value, 3, '.', ''), '0'), '.')] = $value;
        }

        return $ticks;
    }

    /** Whether a row's label fits under it without running into the next. */
    public function labelled(int $row): bool
    {
        $longest = max(0, ...array_map(mb_strlen(...), $this->labels));

        return $row % (int) max(1, ceil(min($longest, 16) * 7.5 / $this->step())) === 0;
    }
}
