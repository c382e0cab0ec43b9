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
use Lighterman\Core\Treatment\Expression\Scope;
use Lighterman\Core\Treatment\Step\RowCode;
use Lighterman\Core\Treatment\Value\InvalidStep;
use Lighterman\Core\Treatment\Value\Sought;
use Lighterman\Core\Treatment\Value\Worker;
use Lighterman\Core\Trouble\SystemTrouble;
use LogicException;

/**
 * Resolves a treatment for one shape: every line of the sheet becomes a block of PHP that fills one variable, and blocks
 * are put in the order in which they need each other. RowFunctions makes functions of them.
 */
final class RowCompiler implements RowCode
{
    /** The columns of the records that are treated. */
    public readonly Shape $read;

    /** @var list<Line> */
    public readonly array $sheet;

    /** @var array<int, InvalidTreatment> what is wrong, by line */
    public array $lineErrors = [];

    /** @var array<int, InvalidTreatment> what is wrong, by check */
    public array $checkErrors = [];

    /** @var array<int, InvalidTreatment> what is wrong, by rule */
    public array $watchErrors = [];

    /** @var array<int, InvalidTreatment> what is wrong, by fork */
    public array $forkErrors = [];

    private readonly Resolved $made;

    /** @var array<int, bool> by line: false while it is being compiled */
    private array $done = [];

    private ?int $line = null;

    private int $step = -1;

    /** @var array<int, true> */
    private array $checkNeeds = [];

    /** @var list<LookupCache> */
    public array $lookups = [];

    /** @var array<int, self> */
    private array $forkRows = [];

    /** @var array<int, bool>|null */
    private ?array $hidden = null;

    /** @var array<string, string> secrets by name */
    private array $known = [];

    /** @var callable(string): string */
    private $secrets;

    /** @var (callable(Sought): LookupTable)|null */
    private $tables;

    /**
     * @param  callable(string): string  $secrets  gives the key of keyed hashes by its name
     * @param  (callable(Sought): LookupTable)|null  $tables  reaches the tables of lookups; null where nothing is to be looked up, only checked
     *
     * @throws InvalidTreatment if columns and lines do not fit together at all; errors of single lines are collected
     */
    public function __construct(public readonly Shape $carried, private readonly Treatment $treatment, callable $secrets, ?callable $tables = null)
    {
        $this->made = new Resolved;
        $this->secrets = $secrets;
        $this->tables = $tables;
        $this->read = $treatment->read($carried);
        $this->sheet = $treatment->sheet($carried);
        foreach (array_keys($this->sheet) as $i) {
            $this->collected(fn () => $this->line($i), $i);
        }
        $this->refuseTwice();
        foreach ($treatment->checks as $n => $check) {
            $php = fn (): string => $check->kind === 'unique' ? $this->unique($check, $n) : $check->emit($this, fn (string $column): Piece => $this->checked($check, $column));
            $this->made->checks[] = $this->condition($php, $this->checkErrors, $n) ?? ['php' => 'true', 'needs' => []];
        }
        foreach ($treatment->forks as $n => $fork) {
            $this->made->forks[] = $this->condition(fn (): string => $this->truth($fork->when, 'The condition of a fork'), $this->forkErrors, $n) ?? ['php' => 'false', 'needs' => []];
        }
        foreach ($treatment->watch as $n => $rule) {
            $condition = $this->condition(fn (): string => $this->truth($rule->expression, 'What is counted'), $this->watchErrors, $n);
            if ($condition !== null) {
                $this->made->watched[$n] = $condition;
            }
        }
    }

    public function functions(): RowFunctions
    {
        return new RowFunctions($this->made, $this->read, $this->sheet, $this->treatment, array_fill_keys(array_keys($this->lineErrors), true));
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

        return $fork->sheet->isEmpty() ? null : ($this->forkRows[$n] ??= new self($this->shape(), $this->treatment->further($fork), $this->secrets, $this->tables));
    }

    /**
     * @param  callable(): string  $php
     * @param  array<int, InvalidTreatment>  $errors  takes what is wrong
     * @return array{php: string, needs: list<int>}|null
     */
    private function condition(callable $php, array &$errors, int $n): ?array
    {
        $this->checkNeeds = [];
        $this->line = null;
        try {
            return ['php' => $php(), 'needs' => array_keys($this->checkNeeds)];
        } catch (InvalidTreatment|InvalidExpression $e) {
            $errors[$n] = $e instanceof InvalidExpression ? InvalidTreatment::expression($e) : $e;

            return null;
        }
    }

    private function truth(string $expression, string $what): string
    {
        $piece = Compiler::compile($expression, $this->scopeFor(null, null));

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
        foreach ($this->lineErrors as $i => $error) {
            throw InvalidTreatment::of("{$this->sheet[$i]->name()}: {$error->getMessage()}", $error->at);
        }
        foreach ($this->checkErrors as $n => $error) {
            throw InvalidTreatment::of('check '.($n + 1).": {$error->getMessage()}", $error->at);
        }
        foreach ($this->forkErrors as $n => $error) {
            throw InvalidTreatment::of("fork {$this->treatment->forks[$n]->name}: {$error->getMessage()}", $error->at);
        }
        foreach ($this->watchErrors as $n => $error) {
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

    // What steps and checks call while they are compiled.

    public function statement(string $php): void
    {
        $this->made->blocks[(int) $this->line][] = [$this->step, $php];
    }

    public function work(string $variable, Worker $worker): void
    {
        $this->statement("if ({$variable} !== null) { {$variable} = {$this->tool($worker)}->of({$variable}); }");
    }

    public function plain(): void
    {
        $this->made->plain[(int) $this->line] = $this->step;
    }

    public function tool(object $tool): string
    {
        $this->made->tools[] = $tool;

        return '$k'.(count($this->made->tools) - 1);
    }

    public function secret(string $name): string
    {
        return $this->known[$name] ??= ($this->secrets)($name);
    }

    public function lookup(Sought $in, int $age, string|null|false $else): Worker
    {
        $table = $this->tables === null ? new class implements LookupTable
        {
            public function fetch(array $keys): array
            {
                return [];
            }

            public function now(): int
            {
                return 0;
            }
        }
        : $this->reached($in);

        return $this->lookups[] = new LookupCache($table, $in->match->type, $age, $else);
    }

    private function reached(Sought $in): LookupTable
    {
        try {
            return ($this->tables ?? throw new LogicException('Nothing to look up in.'))($in);
        } catch (SystemTrouble $trouble) {
            throw InvalidStep::because($trouble->getMessage());
        }
    }

    public function scopeFor(?string $variable, ?Type $type): Scope
    {
        return new class($this, $variable, $type) implements Scope
        {
            public function __construct(private readonly RowCompiler $rows, private readonly ?string $variable, private readonly ?Type $type)
            {
            }

            public function named(string $name): ?Piece
            {
                $own = $this->variable === null || $this->type === null ? null : Piece::held($this->variable, $this->type);

                return $name === 'value' && $own !== null ? $own : $this->rows->named($name, $own);
            }

            public function asRead(string $name): ?Piece
            {
                return $this->rows->asRead($name);
            }

            public function names(): array
            {
                return array_map(static fn (Line $l): string => $l->name(), $this->rows->sheet);
            }

            public function tool(object $tool): string
            {
                return $this->rows->tool($tool);
            }
        };
    }

    /** A value as it lands, by the name it lands under or else by that of its source column. */
    public function named(string $name, ?Piece $own): ?Piece
    {
        foreach ([static fn (Line $l): bool => $l->name() === $name, static fn (Line $l): bool => $l->from === $name] as $is) {
            foreach ($this->sheet as $i => $line) {
                if ($is($line)) {
                    return $i === $this->line && $own !== null ? $own : $this->landed($i);
                }
            }
        }

        return null;
    }

    public function asRead(string $name): ?Piece
    {
        $at = array_search($name, $this->read->names(), true);

        return $at === false ? null : Piece::held($this->raw($at), $this->read->columns[$at]->type);
    }

    private function landed(int $i): Piece
    {
        $line = $this->sheet[$i];
        if (($this->done[$i] ?? null) === false) {
            throw InvalidTreatment::of("{$line->name()} is computed from itself, in a circle.");
        }
        $this->collected(fn () => $this->line($i), $i);
        if (isset($this->lineErrors[$i])) {
            throw InvalidTreatment::of("It needs {$line->name()}, which cannot be computed as it stands.");
        }
        foreach (array_keys($this->made->needs[$i]) as $at) {
            $this->needed($at);
        }

        return Piece::held($this->made->variables[$i], $this->made->types[$i]);
    }

    private function raw(int $at): string
    {
        $this->needed($at);

        return "\$c{$at}";
    }

    private function needed(int $at): void
    {
        if ($this->line === null) {
            $this->checkNeeds[$at] = true;
        } else {
            $this->made->needs[$this->line][$at] = true;
        }
    }

    private function checked(Check $check, string $column): Piece
    {
        $piece = $check->asRead ? $this->asRead($column) : $this->named($column, null);

        return $piece ?? throw InvalidTreatment::of("There is no column \"{$column}\".");
    }

    /** @param  callable(): void  $do */
    private function collected(callable $do, int $i): void
    {
        [$line, $step] = [$this->line, $this->step];
        try {
            $do();
        } catch (InvalidTreatment|InvalidStep $e) {
            $this->lineErrors[$i] = $e instanceof InvalidTreatment ? $e : InvalidTreatment::of($e->getMessage());
        } catch (InvalidExpression $e) {
            $this->lineErrors[$i] = InvalidTreatment::expression($e);
        } finally {
            [$this->line, $this->step] = [$line, $step];
        }
    }

    private function line(int $i): void
    {
        if (isset($this->done[$i])) {
            return;
        }
        $line = $this->sheet[$i];
        [$this->line, $this->step, $this->done[$i], $this->made->needs[$i], $this->made->blocks[$i]] = [$i, -1, false, [], []];
        try {
            $type = null;
            $this->made->variables[$i] = "\$v{$i}";
            if ($line->from !== null) {
                $at = (int) array_search($line->from, $this->read->names(), true);
                $raw = $this->raw($at);
                $type = $this->read->columns[$at]->type;
                if ($line->steps === []) {
                    $this->made->variables[$i] = $raw;
                } else {
                    $this->statement("\$v{$i} = {$raw};");
                }
            }
            foreach ($line->steps as $this->step => $step) {
                $this->line = $i;
                $type = $step->emit($this, "\$v{$i}", $type);
            }
            $this->made->types[$i] = $type ?? Type::of(TypeKind::Text);
        } finally {
            $this->done[$i] = true;
            $this->made->order[] = $i;
        }
    }

    private function refuseTwice(): void
    {
        $seen = [];
        foreach ($this->sheet as $i => $line) {
            if ($line->drop) {
                continue;
            }
            if (isset($seen[$line->name()])) {
                $this->lineErrors[$i] ??= InvalidTreatment::of("Two columns land as {$line->name()}.");
            }
            $seen[$line->name()] = true;
        }
        if ($seen === []) {
            throw InvalidTreatment::of('Every column is dropped, so there is nothing to land.');
        }
    }
}
