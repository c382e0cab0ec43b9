<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Closure;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Treatment\Value\Fault;

/**
 * Treats the records of one feed. Those that pass go through a compiled function; one that does not is looked at again,
 * step by step, to tell why.
 */
final class Treater
{
    /** Records of a batch that are kept as examples of a rule. */
    private const SAMPLES = 3;

    /** @var array<int, array<array-key, true>> by check: what was seen in this batch, for `unique` */
    public array $seen = [];

    private ?Closure $block = null;

    private ?Closure $row = null;

    private ?Closure $before = null;

    private ?Closure $trace = null;

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

    /** @var array<array-key, FailureWindow> by check */
    private array $windows = [];

    private readonly RowFunctions $functions;

    /** @param  array<string, string|null>  $stamps  what is known of the delivery: source_name, run, load_year, load_month, load_day */
    public function __construct(private readonly RowCompiler $rows, private readonly Treatment $treatment, private array $stamps)
    {
        $this->now = new Treated;
        $this->functions = $rows->functions();
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
     * @return Treated with what lands, in the same form, and what became of the rest
     *
     * @throws TreatmentStopped
     */
    public function block(string $encoded): Treated
    {
        if ($encoded === '') {
            return new Treated;
        }
        $this->now = new Treated;
        $this->row0 = $this->number;
        $encoded = $this->exploded($encoded);
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
        $go = $this->row ??= $this->functions->row(true);
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
        $further = array_filter(array_map(static fn (?self $f): ?int => $f?->queries(), $this->forks), static fn (?int $q): bool => $q !== null);

        return $this->rows->lookups === [] && $further === [] ? null : array_sum(array_map(static fn (LookupCache $l): int => $l->queries, $this->rows->lookups)) + array_sum($further);
    }

    /** What is not known is asked for one by one from here on. */
    private function askNow(): void
    {
        foreach ($this->rows->lookups as $lookup) {
            $lookup->begin(gathering: false);
        }
    }

    /**
     * The records that become of a row.
     *
     * @param  list<string|false|null>  $row  as carried
     * @return list<list<string|false|null>>
     *
     * @throws Fault
     */
    public function records(array $row): array
    {
        return $this->treatment->explode === null ? [$row] : $this->treatment->explode->rows($row, $this->rows->carried);
    }

    /** Lines of records out of lines of rows. A row whose list cannot be read fails whole. */
    private function exploded(string $encoded): string
    {
        if ($this->treatment->explode === null) {
            return $encoded;
        }
        $lines = '';
        foreach (explode("\n", substr($encoded, 0, -1)) as $n => $line) {
            $row = CopyText::row($line);
            try {
                $lines .= implode('', array_map(static fn (array $r): string => CopyText::line(array_map(static fn (string|false|null $v): ?string => $v === false ? null : $v, $r)), $this->records($row)));
            } catch (Fault $fault) {
                $this->settled($this->unreadable($row, $fault), $n);
            }
        }

        return $lines;
    }

    /**
     * @param  list<string|false|null>  $row  as carried
     */
    public function unreadable(array $row, Fault $fault): Judging
    {
        $judging = new Judging($this->treatment, $this->rows->sheet, [...$row, null]);
        $judging->failures[] = new Failure((string) $this->treatment->explode?->sentence(), $fault->reason, "{$this->treatment->explode?->column}: {$fault->getMessage()}", $this->treatment->failing ?? Outcome::SetAside);

        return $judging;
    }

    /**
     * @param  list<string|false|null>  $row  as carried
     */
    public function unwritable(array $row, Unwritable $why): Judging
    {
        $judging = new Judging($this->treatment, $this->rows->sheet, $this->treatment->explode === null ? $row : [...$row, null]);
        $judging->failures[] = new Failure(Unwritable::STEP, $why->reason, $why->message, Outcome::SetAside);

        return $judging;
    }

    /** @return array<int, array<int, string>> */
    private function run(string $encoded): array
    {
        if ($encoded === '') {
            return [];
        }
        $block = $this->block ??= $this->functions->block();

        return mb_check_encoding($encoded, 'UTF-8') ? $block($encoded, $this->stamps, $this, 0) : $this->oneByOne($encoded, $block);
    }

    /**
     * Has everything looked up, once, that the records need and is not known: they are gone through without any effect
     * until nothing is lacking, since one lookup may need what another gives.
     *
     * @param  callable(): mixed  $go
     */
    private function lookAhead(callable $go): void
    {
        for ($rounds = 0; $this->rows->lookups !== [] && $rounds <= count($this->rows->lookups); $rounds++) {
            $seen = $this->seen;
            $this->ahead = true;
            foreach ($this->rows->lookups as $lookup) {
                $lookup->begin(gathering: true);
            }
            try {
                $go();
            } finally {
                $this->ahead = false;
                $this->seen = $seen;
            }
            $lacking = array_filter($this->rows->lookups, static fn (LookupCache $l): bool => $l->lacks());
            foreach ($this->rows->lookups as $lookup) {
                $lookup->lacks() && $lookup->fetch();
                $lookup->begin(gathering: false);
            }
            if ($lacking === []) {
                return;
            }
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
        $this->askNow();
        try {
            $this->demandReadable($row);
            $landed = ($this->row ??= $this->functions->row(true))($row, $this->stamps, $this);
        } catch (Fault) {
            $landed = null;
        }

        $landed ??= $this->judge($row, 0);
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
        return ($this->before ??= $this->functions->row(false))($row, $this->stamps, $this);
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
        $this->askNow();
        try {
            $this->demandReadable($row);
            ($this->trace ??= $this->functions->trace())($row, $this->stamps, $this, $judging);
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
        $seen = $this->seen;
        $this->ahead = true;
        try {
            $this->demandReadable($row);

            $landed = ($this->row ??= $this->functions->row(true))($row, $this->stamps, $this);
            $further = $this->forks === [] ? null : $this->forks[$this->took] ?? null;

            return $landed !== null && ($further?->passes($landed) ?? true);
        } catch (Fault) {
            return false;
        } finally {
            $this->ahead = false;
            $this->seen = $seen;
        }
    }

    /** For the compiled function: a line that did not pass, and what lands of it all the same. */
    public function judged(string $line, int $n): string
    {
        if ($this->ahead) {
            return '';
        }
        $landed = $this->judge(CopyText::row($line), $n);

        return $landed === null ? '' : CopyText::line(array_map(static fn (string|false|null $v): ?string => $v === false ? null : $v, $landed));
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
        $this->now->matched[$rule] = ($this->now->matched[$rule] ?? 0) + 1;
        if (count($this->now->samples[$rule] ?? []) < self::SAMPLES) {
            $this->now->samples[$rule][] = is_string($landed) ? CopyText::row($landed) : $landed;
        }
    }

    /**
     * @param  list<string|false|null>  $row
     * @return list<string|false|null>|null
     */
    private function judge(array $row, int $n): ?array
    {
        return $this->settled($this->lookHere($row), $n);
    }

    /** @return list<string|false|null>|null what lands */
    private function settled(Judging $judging, int $n): ?array
    {
        foreach ($judging->failures as $failure) {
            $this->count($failure, $this->row0 + $n);
        }
        switch ($judging->outcome()) {
            case Outcome::Stop:
                throw TreatmentStopped::at($judging->decisive() ?? $judging->failures[0]);
            case Outcome::SetAside:
                $this->now->apart[] = new Apart($judging->row, $judging, $n);

                return null;
            case Outcome::Drop:
                $this->now->dropped++;

                return null;
            case Outcome::Warn:
                $this->now->warned++;
        }
        $this->took = $judging->fork ?? Fork::OWN;
        foreach ($this->took === Fork::DROPPED ? [] : $judging->watched as $rule) {
            $this->matched($rule, $judging->landed());
        }

        return $judging->landed();
    }

    private function count(Failure $failure, int $number): void
    {
        $limit = $failure->check === null ? $this->treatment->limit : $this->treatment->checks[$failure->check]->limit;
        if ($limit === null) {
            return;
        }
        $window = $this->windows[$failure->check ?? 'treating'] ??= new FailureWindow($limit);
        if ($window->failed($number)) {
            throw TreatmentStopped::limit($failure->step, $limit);
        }
    }

    /**
     * Where a line is not UTF-8, only that one fails.
     *
     * @return array<int, array<int, string>>
     */
    private function oneByOne(string $encoded, Closure $block): array
    {
        $out = [];
        foreach (explode("\n", substr($encoded, 0, -1)) as $n => $line) {
            if (mb_check_encoding($line, 'UTF-8')) {
                foreach ($block($line."\n", $this->stamps, $this, $n) as $fork => $lines) {
                    $out[$fork][$n] = reset($lines);
                }
            } elseif (($landed = $this->judged($line, $n)) !== '') {
                $out[$this->took][$n] = substr($landed, 0, -1);
            }
        }

        return $out;
    }

    /** @param  list<string|false|null>  $row */
    private function demandReadable(array $row): void
    {
        if ($this->forks !== [] && in_array(false, $row, true)) {
            throw Fault::because('not_sent', 'the log does not say every value of a row that may go to another table, since some had not changed (REPLICA IDENTITY FULL makes it say them)');
        }
        foreach ($row as $value) {
            if (is_string($value) && ! mb_check_encoding($value, 'UTF-8')) {
                throw Fault::because('invalid_utf8', 'a value is not valid UTF-8');
            }
        }
    }
}
