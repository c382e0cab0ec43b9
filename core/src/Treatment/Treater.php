<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Treatment\Value\Fault;
use LogicException;

/**
 * Treats the records of one feed. Those that pass go through a compiled function; one that does not is looked at again,
 * step by step, to tell why.
 */
final class Treater
{
    /** @var array<int, array<array-key, true>> by check: what was seen in this batch, for `unique` */
    public array $seen = [];

    /** Fork that the last row took, or the place of one that takes none. */
    public int $took = Fork::OWN;

    /** @var list<string|false|null>|null the last row as it came out of the sheet, if a choice keeps it out for it takes no fork */
    public ?array $left = null;

    /** @var array<int, self|null> what treats the records of a fork further, by fork */
    private array $forks = [];

    private Treated $now;

    /** Records seen so far. */
    private int $number = 0;

    private int $row0 = 0;

    /** Whether records are only gone through for what they will need. */
    private bool $ahead = false;

    /** Judges records that fail as a whole. */
    public readonly WholeFailure $whole;

    /** Makes the records of rows. */
    public readonly Explosion $explosion;

    private readonly FailureCount $failures;

    private readonly LookupRounds $lookups;

    private readonly RowFunctions $functions;

    /** @param  array<string, string|null>  $stamps  what is known of the delivery: source_name, run, load_year, load_month, load_day */
    public function __construct(private readonly RowCompiler $rows, private readonly Treatment $treatment, private array $stamps)
    {
        $this->now = new Treated;
        $this->functions = $rows->functions();
        $this->lookups = new LookupRounds($rows->reach->lookups);
        $this->explosion = new Explosion($treatment->explode, $rows->carried);
        $this->failures = new FailureCount($treatment);
        $this->whole = new WholeFailure($treatment, $rows->sheet);
        foreach ($treatment->forks as $n => $fork) {
            $further = $rows->fork($n);
            $this->forks[$n] = $further === null ? null : new self($further, $treatment->further($fork), $stamps);
        }
    }

    /** @param  array<string, string|null>  $stamps */
    public function stamp(array $stamps): void
    {
        $this->stamps = $stamps + $this->stamps;
        foreach ($this->forks as $further) {
            $further?->stamp($stamps);
        }
    }

    /** A new batch begins, in which `unique` has seen nothing. */
    public function begin(): void
    {
        $this->seen = [];
    }

    /**
     * @param  string  $encoded  lines in the text form of COPY
     * @param  (callable(string): string)|null  $left  what is left of the lines of the records that they make; null for all
     * @return Treated with what lands, in the same form, and what became of the rest
     *
     * @throws TreatmentStopped
     */
    public function block(string $encoded, ?callable $left = null): Treated
    {
        if ($encoded === '') {
            return new Treated;
        }
        $this->now = new Treated;
        $this->row0 = $this->number;
        $encoded = $this->explosion->lines($encoded, fn (array $row, Fault $fault, int $n): ?array => $this->settled($this->whole->unreadable($row, $fault), $n));
        $encoded = $left === null || $encoded === '' ? $encoded : $left($encoded);
        $this->lookAhead(fn () => $this->run($encoded));
        foreach ($this->run($encoded) as $fork => $lines) {
            $this->now->landed[$fork] = ($this->forks[$fork] ?? null) === null ? implode("\n", $lines)."\n" : $this->further($fork, $lines, $encoded);
            $this->now->dropped += $fork === Fork::DROPPED ? count($lines) : 0;
        }
        $this->number = $this->row0 + substr_count($encoded, "\n");

        return $this->now;
    }

    /**
     * Has the records of a fork treated further.
     *
     * @param  array<int, string>  $lines  by their place in the block
     * @param  string  $encoded  the block as it was read
     */
    private function further(int $fork, array $lines, string $encoded): string
    {
        $treated = $this->forks[$fork]?->block(implode("\n", $lines)."\n") ?? new Treated;
        $this->now->dropped += $treated->dropped;
        if ($treated->apart !== []) {
            $read = explode("\n", $encoded);
            $places = array_keys($lines);
            foreach ($treated->apart as $apart) {
                $this->now->apart[] = new Apart(CopyText::row($read[$places[$apart->number]]), $apart->judging, $places[$apart->number]);
            }
        }

        return $treated->landed[Fork::OWN] ?? '';
    }

    /**
     * Has looked up together what these rows will need.
     *
     * @param  iterable<list<string|false|null>>  $rows
     */
    public function expect(iterable $rows): void
    {
        $go = $this->functions->row(true);
        $this->lookAhead(function () use ($rows, $go): void {
            foreach ($rows as $row) {
                try {
                    $go($row, $this->stamps, $this);
                } catch (Fault) {
                    // It is judged when its turn comes.
                }
            }
        });
    }

    /** Queries that lookups have taken so far; null where nothing is looked up. */
    public function queries(): ?int
    {
        $counts = array_filter([$this->lookups->queries(), ...array_map(static fn (?self $f): ?int => $f?->queries(), $this->forks)], static fn (?int $q): bool => $q !== null);

        return $counts === [] ? null : array_sum($counts);
    }

    /** @return array<int, array<int, string>> */
    private function run(string $encoded): array
    {
        if ($encoded === '') {
            return [];
        }
        $block = $this->functions->block();

        return LineByLine::where($encoded, fn (string $lines, int $n): array => $block($lines, $this->stamps, $this, $n), fn (string $line, int $n): array => [$this->judged($line, $n), $this->took]);
    }

    /**
     * Has everything looked up, once, that the records need and is not known.
     *
     * @param  callable(): mixed  $go
     */
    private function lookAhead(callable $go): void
    {
        $this->lookups->rounds(fn (): mixed => $this->quietly($go));
    }

    /**
     * Goes through records without any effect.
     *
     * @template T
     *
     * @param  callable(): T  $go
     * @return T
     */
    private function quietly(callable $go): mixed
    {
        $seen = $this->seen;
        $this->ahead = true;
        try {
            return $go();
        } finally {
            $this->ahead = false;
            $this->seen = $seen;
        }
    }

    /**
     * What a change leaves of a row, in the columns of the table of the fork that it took.
     *
     * @param  list<string|false|null>  $row
     * @return list<string|false|null>|null null if it does not land
     *
     * @throws TreatmentStopped
     */
    public function row(array $row, Treated $into): ?array
    {
        $this->now = $into;
        $this->row0 = $this->number++;
        $this->took = Fork::OWN;
        $this->left = null;
        $this->lookups->askNow();
        try {
            Sent::demandReadable($row, $this->forks !== []);
            $landed = $this->functions->row(true)($row, $this->stamps, $this);
        } catch (Fault) {
            $landed = null;
        }

        $landed ??= $this->settled($this->lookHere($row), 0);
        if ($landed === null || $this->forks === []) {
            return $landed;
        }
        if ($this->took === Fork::DROPPED) {
            $into->dropped++;
            $this->left = $landed;

            return null;
        }
        $further = $this->forks[$this->took] ?? null;
        $apart = count($into->apart);
        $landed = $further === null ? $landed : $further->row($landed, $into);
        if (count($into->apart) > $apart) {
            $into->apart[$apart] = new Apart($row, $into->apart[$apart]->judging);
        }

        return $landed;
    }

    /**
     * What a row was before; what cannot be told is false.
     *
     * @param  list<string|false|null>  $row
     * @return list<string|false|null>
     */
    public function before(array $row): array
    {
        return $this->functions->row(false)($row, $this->stamps, $this) ?? throw new LogicException('A row comes out where nothing is checked.');
    }

    /**
     * Looks at a record step by step, and counts nothing.
     *
     * @param  list<string|false|null>  $row
     */
    public function look(array $row): Judging
    {
        $judging = $this->lookHere($row);
        if ($judging->fork !== null && in_array($judging->outcome(), [null, Outcome::Warn], true)) {
            $judging->then = ($this->forks[$judging->fork] ?? null)?->look($judging->landed());
        }

        return $judging;
    }

    /** @param  list<string|false|null>  $row */
    private function lookHere(array $row): Judging
    {
        $judging = new Judging($this->treatment, $this->rows->sheet, $row, $this->rows->hidden());
        $this->lookups->askNow();
        try {
            Sent::demandReadable($row, $this->forks !== []);
            $this->functions->trace()($row, $this->stamps, $this, $judging);
        } catch (Fault $fault) {
            $judging->failures[] = new Failure('reading', $fault->reason, ucfirst($fault->getMessage()), $this->treatment->failing ?? Outcome::SetAside);
        }

        return $judging;
    }

    /**
     * Whether a record passes without a failure. Counts nothing.
     *
     * @param  list<string|false|null>  $row
     */
    public function passes(array $row): bool
    {
        return $this->quietly(function () use ($row): bool {
            try {
                Sent::demandReadable($row, $this->forks !== []);
                $landed = $this->functions->row(true)($row, $this->stamps, $this);
                $further = $this->forks === [] ? null : $this->forks[$this->took] ?? null;

                return $landed !== null && ($further?->passes($landed) ?? true);
            } catch (Fault) {
                return false;
            }
        });
    }

    /** For the compiled function: a line that did not pass, and what lands of it all the same. */
    public function judged(string $line, int $n): string
    {
        if ($this->ahead) {
            return '';
        }
        $landed = $this->settled($this->lookHere(CopyText::row($line)), $n);

        return $landed === null ? '' : CopyText::line($landed);
    }

    /**
     * For the compiled function: a record that lands satisfies a rule.
     *
     * @param  string|list<string|false|null>  $landed  a line in the text form of COPY, or the values
     */
    public function matched(int $rule, string|array $landed): void
    {
        if ($this->ahead) {
            return;
        }
        $this->now->match($rule, $landed);
    }

    /** A record that was looked at lands; another like it is not the only one any more. */
    public function remember(Judging $judging): void
    {
        foreach ($judging->keys as $check => $key) {
            if ($key !== null) {
                $this->seen[$check][$key] = true;
            }
        }
    }

    /** @return list<string|false|null>|null what lands */
    private function settled(Judging $judging, int $n): ?array
    {
        foreach ($judging->failures as $failure) {
            $this->failures->count($failure, $this->row0 + $n);
        }
        if (! $this->now->settle($judging, $n)) {
            return null;
        }
        $this->remember($judging);
        $this->took = $judging->fork ?? Fork::OWN;
        foreach ($this->took === Fork::DROPPED ? [] : $judging->watched as $rule) {
            $this->matched($rule, $judging->landed());
        }

        return $judging->landed();
    }
}
