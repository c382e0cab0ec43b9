<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Expression\Compiler;
use Lighterman\Core\Treatment\Expression\InvalidExpression;
use Lighterman\Core\Treatment\Expression\Kind;
use Lighterman\Core\Treatment\Expression\Piece;

/**
 * Resolves a treatment for one shape: every line of the sheet becomes a block of PHP that fills one variable, and blocks
 * are put in the order in which they need each other. RowFunctions makes functions of them.
 */
final class RowCompiler
{
    /** The columns of the records that are treated. */
    public readonly Shape $read;

    /** @var list<Line> */
    public readonly array $sheet;

    public readonly TreatmentErrors $errors;

    private readonly Resolved $made;

    private readonly LineCompiler $lines;

    /** @var array<int, self> */
    private array $forkRows = [];

    /** @var array<int, bool>|null */
    private ?array $hidden = null;

    /**
     * @param  Reach  $reach  what its steps reach beyond a record
     *
     * @throws InvalidTreatment if columns and lines do not fit together at all; errors of single lines are collected
     */
    public function __construct(public readonly Shape $carried, private readonly Treatment $treatment, public readonly Reach $reach)
    {
        $this->made = new Resolved;
        $this->errors = new TreatmentErrors;
        $this->read = $treatment->read($carried);
        $this->sheet = $treatment->sheet($carried);
        $this->lines = new LineCompiler($this->read, $this->sheet, $this->made, $reach);
        $this->errors->lines = $this->lines->errors;
        $this->refuseTwice();
        foreach ($treatment->checks as $n => $check) {
            $php = fn (): string => $check->kind === 'unique' ? $this->unique($check, $n) : $check->emit($this->lines, fn (string $column): Piece => $this->checked($check, $column));
            $this->made->checks[] = $this->condition($php, $this->errors->checks, $n) ?? ['php' => 'true', 'needs' => []];
        }
        foreach ($treatment->forks as $n => $fork) {
            $this->made->forks[] = $this->condition(fn (): string => $this->truth($fork->when, 'The condition of a fork'), $this->errors->forks, $n) ?? ['php' => 'false', 'needs' => []];
        }
        foreach ($treatment->watch as $n => $rule) {
            $condition = $this->condition(fn (): string => $this->truth($rule->expression, 'What is counted'), $this->errors->watched, $n);
            if ($condition !== null) {
                $this->made->watched[$n] = $condition;
            }
        }
    }

    public function functions(): RowFunctions
    {
        return new RowFunctions($this->made, $this->read, $this->sheet, $this->treatment, array_fill_keys(array_keys($this->errors->lines), true));
    }

    /**
     * What is done further to the records that take a fork: the columns it reads are those that come out of this sheet.
     *
     * @return self|null null where nothing more is done to them
     *
     * @throws InvalidTreatment
     */
    public function fork(int $n): ?self
    {
        $fork = $this->treatment->forks[$n];

        return $fork->sheet->isEmpty() ? null : ($this->forkRows[$n] ??= new self($this->shape(), $this->treatment->further($fork), $this->reach->again()));
    }

    /**
     * @param  callable(): string  $php
     * @param  array<int, InvalidTreatment>  $errors  takes what is wrong
     * @return array{php: string, needs: list<int>}|null
     */
    private function condition(callable $php, array &$errors, int $n): ?array
    {
        try {
            return $this->lines->condition($php);
        } catch (InvalidTreatment $e) {
            $errors[$n] = $e;

            return null;
        }
    }

    private function truth(string $expression, string $what): string
    {
        $piece = Compiler::compile($expression, $this->lines->scopeFor(null, null));

        return $piece->kind === Kind::Flag ? "({$piece->php} === true)" : throw InvalidExpression::at($expression, 1, "{$what} is true or false, but this is a {$piece->kind->value}.");
    }

    private function unique(Check $check, int $n): string
    {
        $values = array_map(fn (string $c): string => $this->checked($check, $c)->text(), $check->columns);
        $null = implode(' || ', array_map(static fn (string $v): string => "{$v} === null", $values));

        return "((\$u{$n} = ({$null}) ? null : implode(\"\\0\", [".implode(', ', $values)."])) === null || ! isset(\$t->seen[{$n}][\$u{$n}]))";
    }

    /** @throws InvalidTreatment the first of what is wrong */
    public function demandFlawless(): void
    {
        foreach ($this->errors->lines as $i => $error) {
            throw InvalidTreatment::of("{$this->sheet[$i]->name()}: {$error->getMessage()}", $error->at);
        }
        foreach ($this->errors->checks as $n => $error) {
            throw InvalidTreatment::of('check '.($n + 1).": {$error->getMessage()}", $error->at);
        }
        foreach ($this->errors->forks as $n => $error) {
            throw InvalidTreatment::of("fork {$this->treatment->forks[$n]->name}: {$error->getMessage()}", $error->at);
        }
        foreach ($this->errors->watched as $n => $error) {
            throw InvalidTreatment::of("{$this->treatment->watch[$n]->name}: {$error->getMessage()}", $error->at);
        }
        foreach ($this->treatment->forks as $n => $fork) {
            try {
                $this->fork($n)?->demandFlawless();
                $this->refuseMaskOfComputed($fork);
            } catch (InvalidTreatment $e) {
                throw InvalidTreatment::of("fork {$fork->name}: {$e->getMessage()}", $e->at);
            }
        }
    }

    /**
     * Columns that land in clear though they are computed from what a mask hides.
     *
     * @return list<string>
     */
    public function revealing(): array
    {
        $hidden = $this->hidden();

        return array_values(array_map(static fn (Line $l): string => $l->name(), array_filter($this->sheet, fn (Line $l, int $i): bool => $hidden[$i] && ! $l->drop && ! $l->masks() && ! $this->treatment->hidesFurther($l->name()), ARRAY_FILTER_USE_BOTH)));
    }

    /**
     * What a fork masks is hidden as it was read too, so it must be known which column that is.
     *
     * @throws InvalidTreatment
     */
    private function refuseMaskOfComputed(Fork $fork): void
    {
        foreach ($fork->sheet->lines as $masked) {
            foreach ($masked->masks() ? $this->sheet : [] as $i => $line) {
                if ($line->name() === $masked->from && ($line->from === null || count($this->needsOf($i)) !== 1)) {
                    throw InvalidTreatment::of("{$masked->from} is computed on the feed's own sheet; mask it there, or the columns it is computed from.");
                }
            }
        }
    }

    /**
     * The columns that are landed. A line that cannot be compiled counts as text.
     *
     * @param  list<string>  $key  landed columns
     */
    public function shape(array $key = []): Shape
    {
        $columns = [];
        foreach ($this->sheet as $i => $line) {
            if (! $line->drop) {
                $read = $line->from === null ? null : $this->read->column($line->from);
                $columns[] = new Column($line->name(), $this->made->types[$i] ?? Type::of(TypeKind::Text), $line->steps !== [] || $read === null || $read->nullable, $read?->comment);
            }
        }

        return new Shape($columns, $key);
    }

    public function type(int $line): ?Type
    {
        return $this->made->types[$line] ?? null;
    }

    /** @return list<int> source columns, by place, that a line is computed from */
    public function needsOf(int $line): array
    {
        return array_keys($this->made->needs[$line] ?? []);
    }

    /** @return array<int, bool> by line: whether it is computed from a source column that a mask hides */
    public function hidden(): array
    {
        return $this->hidden ??= array_map(fn (int $i): bool => array_filter($this->needsOf($i), fn (int $at): bool => $this->treatment->hides($this->read->columns[$at]->name)) !== [], array_keys($this->sheet));
    }

    private function checked(Check $check, string $column): Piece
    {
        $piece = $check->asRead ? $this->lines->asRead($column) : $this->lines->named($column, null);

        return $piece ?? throw InvalidTreatment::of("There is no column \"{$column}\".");
    }

    private function refuseTwice(): void
    {
        $seen = [];
        foreach ($this->sheet as $i => $line) {
            if ($line->drop) {
                continue;
            }
            if (isset($seen[$line->name()])) {
                $this->errors->lines[$i] ??= InvalidTreatment::of("Two columns land as {$line->name()}.");
            }
            $seen[$line->name()] = true;
        }
        if ($seen === []) {
            throw InvalidTreatment::of('Every column is dropped, so there is nothing to land.');
        }
    }
}
