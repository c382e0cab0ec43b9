<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Treatment\Value\Fault;

/** What happened to one record, step by step. */
final class Judging
{
    /** What stands for a value that a mask hides. */
    public const HIDDEN = '·····';

    private const SHOWN = 120;

    /** @var list<Failure> the first of each line and check */
    public array $failures = [];

    /** @var array<int, array<int, string|false|null>> by line and step, -1 for the value it began with */
    public array $values = [];

    /** @var array<int, bool> by check */
    public array $passed = [];

    /** @var list<int> rules that it satisfies */
    public array $watched = [];

    /** The fork it takes, or the place of one that takes none; null while that is not known. */
    public ?int $fork = null;

    /** @var array<int, bool> whether it satisfies the condition of a fork, as far as that was looked at */
    public array $conditions = [];

    /** @var array<int, string|null> by check that wants it to be the only one: what tells it from others, null for nothing */
    public array $keys = [];

    /** What its fork does to it further. */
    public ?self $then = null;

    private int $step = -1;

    /**
     * @param  list<Line>  $sheet
     * @param  list<string|false|null>  $row  as read
     * @param  array<int, bool>  $hidden  lines that are computed from what a mask hides
     */
    public function __construct(private readonly Treatment $treatment, private readonly array $sheet, public readonly array $row, private readonly array $hidden = [])
    {
    }

    public function begin(int $line, int $step): void
    {
        $this->step = $step;
    }

    public function value(int $line, int $step, string|false|null $value): void
    {
        $this->values[$line][$step] = $value;
    }

    public function fault(int $line, Fault $fault): void
    {
        $sheet = $this->sheet[$line];
        $step = $this->step;
        $value = $this->values[$line][$step - 1] ?? null;
        $done = ($sheet->steps[$step] ?? null)?->sentence() ?? 'read';
        $shown = $value === null || $value === false ? '' : ($this->hides($line, $step - 1) ? ' (a mask hides the value)' : ': '.self::shown($value));
        $this->failures[] = new Failure("{$sheet->name()}, {$done}", $fault->reason, "{$sheet->name()}: {$fault->getMessage()}{$shown}", $this->treatment->failing ?? Outcome::SetAside, $line, $step);
    }

    public function checked(int $check, bool $passed): void
    {
        $this->passed[$check] = $passed;
        if (! $passed) {
            $this->failed($check, $this->treatment->checks[$check]->reason(), '');
        }
    }

    public function unchecked(int $check, Fault $fault): void
    {
        $this->passed[$check] = false;
        $this->failed($check, $fault->reason, ", for {$fault->getMessage()}");
    }

    private function failed(int $n, string $reason, string $why): void
    {
        $check = $this->treatment->checks[$n];
        $values = [];
        foreach ($check->columns as $column) {
            $values[] = $this->valueFor($check, $column);
        }
        $shown = $values === [] ? '' : ': '.implode(', ', array_map(static fn (string $c, ?string $v): string => "{$c} is ".($v === null ? 'null' : self::shown($v)), $check->columns, $values));
        $this->failures[] = new Failure($check->name !== '' ? $check->name : $check->sentence(), $reason, "It does not {$check->sentence()}{$why}{$shown}", $check->else ?? Outcome::SetAside, check: $n);
    }

    /** Whether it is still to be told which fork it takes: one that fails before takes none. */
    public function seeksFork(): bool
    {
        return $this->fork === null && in_array($this->outcome(), [null, Outcome::Warn], true);
    }

    public function fork(int $fork, bool $satisfied): void
    {
        $this->conditions[$fork] = $satisfied;
        $this->fork = $satisfied ? $fork : null;
    }

    /** It takes no fork, for it satisfies none, or one cannot be told. */
    public function forkless(?int $fork, ?Fault $why): void
    {
        if ($fork !== null && $why !== null) {
            $name = $this->treatment->forks[$fork]->name;
            $this->failures[] = new Failure("fork {$name}", $why->reason, "Whether it takes the fork {$name} cannot be told, for {$why->getMessage()}.", $this->treatment->failing ?? Outcome::SetAside);
        } elseif ($this->seeksFork()) {
            $this->fork = $this->treatment->elsewhere()->place();
            if ($this->fork === Fork::ASIDE) {
                $this->failures[] = new Failure('forks', 'no_fork', 'It takes none of the forks: '.implode(', ', array_map(static fn (Fork $f): string => "{$f->name} ({$f->when})", $this->treatment->forks)).'.', Outcome::SetAside);
            }
        }
    }

    /** @return list<Failure> its own, and those of what its fork does */
    public function allFailures(): array
    {
        return [...$this->failures, ...($this->then === null ? [] : $this->then->allFailures())];
    }

    /** What may be shown of a value that a check looked at. */
    private function valueFor(Check $check, string $column): ?string
    {
        foreach ($this->sheet as $i => $line) {
            if ($check->asRead ? $line->from === $column : $line->name() === $column || $line->from === $column) {
                $step = $check->asRead ? -1 : $this->last($i);
                $value = $this->values[$i][$step] ?? null;

                return is_string($value) && $this->hides($i, $step) ? self::HIDDEN : ($value === false ? null : $value);
            }
        }

        return null;
    }

    /** The value a line came to, as far as it got. */
    public function final(int $line): string|false|null
    {
        return $this->values[$line][$this->last($line)] ?? null;
    }

    /** The step that a line came to; -1 where it did none. */
    private function last(int $line): int
    {
        return max([-1, ...array_keys($this->values[$line] ?? [])]);
    }

    /** Whether the value after a step, -1 for the one read, must not be shown to everybody. */
    public function hides(int $line, int $step): bool
    {
        $of = $this->sheet[$line];
        if (! ($this->hidden[$line] ?? false)) {
            return false;
        }
        foreach ($of->steps as $i => $s) {
            if ($s->masks() && $i <= $step) {
                return false;
            }
        }

        return $this->masked($of) || $step < count($of->steps) - 1;
    }

    /** Whether a mask of this sheet, or of a fork that may come after it, hides a line's value. */
    private function masked(Line $line): bool
    {
        return $line->masks() || $this->treatment->hidesFurther($line->name());
    }

    public function outcome(): ?Outcome
    {
        return Outcome::gravest(...array_map(static fn (Failure $f): Outcome => $f->outcome, $this->allFailures()));
    }

    /** The failure that decided about the record. */
    public function decisive(): ?Failure
    {
        foreach ($this->allFailures() as $failure) {
            if ($failure->outcome === $this->outcome()) {
                return $failure;
            }
        }

        return null;
    }

    /** @return list<string|false|null> in the order of the table it lands in */
    public function landed(): array
    {
        if ($this->then !== null) {
            return $this->then->landed();
        }
        $row = [];
        foreach ($this->sheet as $i => $line) {
            if (! $line->drop) {
                $row[] = $this->final($i);
            }
        }

        return $row;
    }

    /** @return array<string, string|null> landed columns as they were when it was judged, with what a mask hides left out */
    public function atFailure(): array
    {
        $failed = array_flip(array_map(static fn (Failure $f): int => $f->line ?? -1, $this->failures));
        $values = [];
        foreach ($this->sheet as $i => $line) {
            $value = $this->final($i);
            $values[$line->name()] = $value === null || $value === false ? null : ($this->hides($i, $this->last($i)) && (isset($failed[$i]) || $this->masked($line)) ? self::HIDDEN : $value);
        }

        return $values;
    }

    private static function shown(string $value): string
    {
        return '"'.mb_scrub(mb_strlen($value) > self::SHOWN ? mb_substr($value, 0, self::SHOWN).'…' : $value, 'UTF-8').'"';
    }
}
