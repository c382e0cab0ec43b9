<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Closure;
use Lighterman\Core\Format\CopyText;

/**
 * Treats the records of one feed. Those that pass go through a compiled function; one that does not is looked at again,
 * step by step, to tell why.
 */
final class Treater
{
    /** @var array<int, array<array-key, true>> by check: what was seen in this batch, for `unique` */
    public array $seen = [];

    private ?Closure $block = null;

    private ?Closure $row = null;

    private ?Closure $before = null;

    private ?Closure $trace = null;

    private Treated $now;

    /** Records seen so far. */
    private int $number = 0;

    private int $row0 = 0;

    /** @var array<array-key, FailureWindow> by check */
    private array $windows = [];

    /** @param  array<string, string|null>  $stamps  what is known of the delivery: source_name, run, load_year, load_month, load_day */
    public function __construct(private readonly RowCompiler $rows, private readonly Treatment $treatment, private array $stamps)
    {
        $this->now = new Treated;
    }

    /** @param  array<string, string|null>  $stamps */
    public function stamp(array $stamps): void
    {
        $this->stamps = $stamps + $this->stamps;
    }

    /** A new batch begins, in which `unique` has seen nothing. */
    public function begin(): void
    {
        $this->seen = [];
    }

    /**
     * @param  string  $encoded  lines in the text form of COPY
     * @return array{string, Treated} what lands, in the same form, and what became of the rest
     *
     * @throws TreatmentStopped
     */
    public function block(string $encoded): array
    {
        if ($encoded === '') {
            return ['', new Treated];
        }
        $this->block ??= $this->rows->block();
        $this->now = new Treated;
        $this->row0 = $this->number;
        $landed = mb_check_encoding($encoded, 'UTF-8') ? ($this->block)($encoded, $this->stamps, $this) : $this->oneByOne($encoded);
        $this->number = $this->row0 + substr_count($encoded, "\n");

        return [$landed, $this->now];
    }

    /**
     * What a change leaves of a row.
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
        try {
            self::demandUtf8($row);
            $landed = ($this->row ??= $this->rows->row(true))($row, $this->stamps, $this);
        } catch (Fault) {
            $landed = null;
        }

        return $landed ?? $this->judge($row, 0);
    }

    /**
     * What a row was before; what cannot be told is false.
     *
     * @param  list<string|false|null>  $row
     * @return list<string|false|null>
     */
    public function before(array $row): array
    {
        return ($this->before ??= $this->rows->row(false))($row, $this->stamps, $this);
    }

    /**
     * Looks at a record step by step, and counts nothing.
     *
     * @param  list<string|false|null>  $row
     */
    public function look(array $row): Judging
    {
        $judging = new Judging($this->treatment, $this->rows->sheet, $row);
        try {
            self::demandUtf8($row);
            ($this->trace ??= $this->rows->trace())($row, $this->stamps, $this, $judging);
        } catch (Fault $fault) {
            $judging->failures[] = new Failure('reading', $fault->reason, ucfirst($fault->getMessage()), $this->treatment->failing ?? Outcome::SetAside);
        }

        return $judging;
    }

    /** For the compiled function: a line that did not pass, and what lands of it all the same. */
    public function judged(string $line, int $n): string
    {
        $landed = $this->judge(CopyText::row($line), $n);

        return $landed === null ? '' : CopyText::line(array_map(static fn (string|false|null $v): ?string => $v === false ? null : $v, $landed));
    }

    /**
     * @param  list<string|false|null>  $row
     * @return list<string|false|null>|null
     */
    private function judge(array $row, int $n): ?array
    {
        $judging = $this->look($row);
        foreach ($judging->failures as $failure) {
            $this->count($failure, $this->row0 + $n);
        }
        switch ($judging->outcome()) {
            case Outcome::Stop:
                throw TreatmentStopped::at($judging->decisive() ?? $judging->failures[0]);
            case Outcome::SetAside:
                $this->now->apart[] = new Apart($row, $judging);

                return null;
            case Outcome::Drop:
                $this->now->dropped++;

                return null;
            case Outcome::Warn:
                $this->now->warned++;
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

    /** Where a line is not UTF-8, only that one fails. */
    private function oneByOne(string $encoded): string
    {
        $landed = '';
        $block = $this->block ??= $this->rows->block();
        foreach (explode("\n", substr($encoded, 0, -1)) as $n => $line) {
            $landed .= mb_check_encoding($line, 'UTF-8') ? $block($line."\n", $this->stamps, $this) : $this->judged($line, $n);
        }

        return $landed;
    }

    /** @param  list<string|false|null>  $row */
    private static function demandUtf8(array $row): void
    {
        foreach ($row as $value) {
            if (is_string($value) && ! mb_check_encoding($value, 'UTF-8')) {
                throw Fault::because('invalid_utf8', 'a value is not valid UTF-8');
            }
        }
    }
}
