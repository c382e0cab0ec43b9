<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Closure;
use Lighterman\Core\Port\LookupTable;
use Lighterman\Core\Port\SystemTrouble;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Expression\Compiler;
use Lighterman\Core\Treatment\Expression\InvalidExpression;
use Lighterman\Core\Treatment\Expression\Kind;
use Lighterman\Core\Treatment\Expression\Piece;
use Lighterman\Core\Treatment\Expression\Scope;
use Lighterman\Core\Treatment\Step\InvalidStep;
use Lighterman\Core\Treatment\Step\Lookup;
use LogicException;

/**
 * Compiles a treatment, for one shape, into functions over positional rows.
 *
 * Every line of the sheet becomes a block of PHP that fills one variable; blocks are put in the order in which they need
 * each other. What is evaluated is made of these blocks only: names of columns and whatever people type are in it as
 * numbers and quoted literals.
 */
final class RowCompiler
{
    private const HEAD = 'use Lighterman\Core\Format\CopyText; use Lighterman\Core\Treatment\Fault; use Lighterman\Core\Treatment\Sent; use Lighterman\Core\Treatment\Value\{Moment, Nested, Number, Real, Text, Unit}; ';

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

    /** @var array<int, array{php: string, needs: list<int>}> by rule */
    private array $watched = [];

    /** @var array<int, Type> by line */
    private array $types = [];

    /** @var array<int, list<array{int, string}>> by line: the step, -1 for the value it begins with, and its PHP */
    private array $blocks = [];

    /** @var array<int, array<int, true>> by line: source columns it is computed from */
    private array $needs = [];

    /** @var array<int, string> by line: the variable that holds its value */
    private array $variables = [];

    /** @var array<int, int> by line: the step after which nothing has to be escaped */
    private array $plain = [];

    /** @var list<int> lines in the order in which they are computed */
    private array $order = [];

    /** @var array<int, bool> by line: false while it is being compiled */
    private array $done = [];

    private ?int $line = null;

    private int $step = -1;

    /** @var array<int, true> */
    private array $checkNeeds = [];

    /** @var list<array{php: string, needs: list<int>}> */
    private array $checks = [];

    /** @var list<object> */
    private array $tools = [];

    /** @var list<LookupCache> */
    public array $lookups = [];

    /** @var array<int, bool>|null */
    private ?array $hidden = null;

    /** @var array<string, string> secrets by name */
    private array $known = [];

    /** @var callable(string): string */
    private $secrets;

    /** @var (callable(Lookup): LookupTable)|null */
    private $tables;

    /**
     * @param  callable(string): string  $secrets  gives the key of keyed hashes by its name
     * @param  (callable(Lookup): LookupTable)|null  $tables  reaches the tables of lookups; null where nothing is to be looked up, only checked
     *
     * @throws InvalidTreatment if columns and lines do not fit together at all; errors of single lines are collected
     */
    public function __construct(public readonly Shape $carried, private readonly Treatment $treatment, callable $secrets, ?callable $tables = null)
    {
        $this->secrets = $secrets;
        $this->tables = $tables;
        $this->read = $treatment->read($carried);
        $this->sheet = $treatment->sheet($carried);
        foreach (array_keys($this->sheet) as $i) {
            $this->collected(fn () => $this->line($i), $i);
        }
        $this->refuseTwice();
        foreach ($treatment->checks as $n => $check) {
            $this->checks[] = $this->condition(fn (): string => $check->emit($this, fn (string $column): Piece => $this->checked($check, $column)), $this->checkErrors, $n) ?? ['php' => 'true', 'needs' => []];
        }
        foreach ($treatment->watch as $n => $rule) {
            $condition = $this->condition(fn (): string => $this->truth($rule->expression), $this->watchErrors, $n);
            if ($condition !== null) {
                $this->watched[$n] = $condition;
            }
        }
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

    private function truth(string $expression): string
    {
        $piece = Compiler::compile($expression, $this->scopeFor(null, null));

        return $piece->kind === Kind::Flag ? "({$piece->php} === true)" : throw InvalidExpression::at($expression, 1, "What is counted is true or false, but this is a {$piece->kind->value}.");
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
        foreach ($this->watchErrors as $n => $error) {
            throw InvalidTreatment::of("{$this->treatment->watch[$n]->name}: {$error->getMessage()}", $error->at);
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
                $columns[] = new Column($line->name(), $this->types[$i] ?? Type::of(TypeKind::Text), $line->steps !== [] || $read === null || $read->nullable, $read?->comment);
            }
        }

        return new Shape($columns, $key);
    }

    public function type(int $line): ?Type
    {
        return $this->types[$line] ?? null;
    }

    /** @return list<int> source columns, by place, that a line is computed from */
    public function needsOf(int $line): array
    {
        return array_keys($this->needs[$line] ?? []);
    }

    /** @return array<int, bool> by line: whether it is computed from a source column that a mask hides */
    public function hidden(): array
    {
        return $this->hidden ??= array_map(fn (int $i): bool => array_filter($this->needsOf($i), fn (int $at): bool => $this->treatment->hides($this->read->columns[$at]->name)) !== [], array_keys($this->sheet));
    }

    // What steps and checks call while they are compiled.

    public function statement(string $php): void
    {
        $this->blocks[(int) $this->line][] = [$this->step, $php];
    }

    public function work(string $variable, Worker $worker): void
    {
        $this->statement("if ({$variable} !== null) { {$variable} = {$this->tool($worker)}->of({$variable}); }");
    }

    /** What the step gives never holds anything that has to be escaped. */
    public function plain(): void
    {
        $this->plain[(int) $this->line] = $this->step;
    }

    public function tool(object $tool): string
    {
        $this->tools[] = $tool;

        return '$k'.(count($this->tools) - 1);
    }

    public function secret(string $name): string
    {
        return $this->known[$name] ??= ($this->secrets)($name);
    }

    /** @param  string  $use  what stands for a value that is not found, where the lookup says so */
    public function lookup(Lookup $lookup, string $use): Worker
    {
        $table = $this->tables === null ? new class implements LookupTable
        {
            public function fetch(array $keys): array
            {
                return [];
            }
        }
        : $this->reached($lookup);

        return $this->lookups[] = new LookupCache($table, $lookup->matchType, $lookup->age, $lookup->else, $use);
    }

    private function reached(Lookup $lookup): LookupTable
    {
        try {
            return ($this->tables ?? throw new LogicException('Nothing to look up in.'))($lookup);
        } catch (SystemTrouble $trouble) {
            throw InvalidStep::because($trouble->getMessage());
        }
    }

    /** @param  string|null  $variable  what `value` stands for; null where it stands for nothing */
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
        foreach (array_keys($this->needs[$i]) as $at) {
            $this->needed($at);
        }

        return Piece::held($this->variables[$i], $this->types[$i]);
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
            $this->needs[$this->line][$at] = true;
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
        [$this->line, $this->step, $this->done[$i], $this->needs[$i], $this->blocks[$i]] = [$i, -1, false, [], []];
        try {
            $type = null;
            $this->variables[$i] = "\$v{$i}";
            if ($line->from !== null) {
                $at = (int) array_search($line->from, $this->read->names(), true);
                $raw = $this->raw($at);
                $type = $this->read->columns[$at]->type;
                if ($line->steps === []) {
                    $this->variables[$i] = $raw;
                } else {
                    $this->statement("\$v{$i} = {$raw};");
                }
            }
            foreach ($line->steps as $this->step => $step) {
                $this->line = $i;
                $type = $step->emit($this, "\$v{$i}", $type);
            }
            $this->types[$i] = $type ?? Type::of(TypeKind::Text);
        } finally {
            $this->done[$i] = true;
            $this->order[] = $i;
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

    // The functions.

    /**
     * Takes lines in the text form of COPY and gives the landed ones in the same form. Records that fail are given to
     * Treater::judged().
     *
     * @return Closure(string, array<string, string>, Treater): string
     */
    public function block(): Closure
    {
        $body = implode(' ', array_map(fn (int $i): string => implode(' ', array_column($this->blocks[$i], 1)), $this->order));
        [$checks, $after] = $this->conditions();
        $counting = $this->counting('$landed');

        return $this->evaluated('static function (string $block, array $stamps, \Lighterman\Core\Treatment\Treater $t)', '$out = []; $n = -1;
            foreach (explode("\n", substr($block, 0, -1)) as $row) {
                $n++;
                $f = explode("\t", $row);
                try { '.$this->loads(true).' '.$body.' $ok = '.$checks.'; } catch (Fault) { $ok = false; }
                if ($ok) { '.$after.' '.$this->landing().' '.($counting === '' ? '$out[] = implode("\t", $f);' : '$landed = $out[] = implode("\t", $f); '.$counting).' } elseif (($line = $t->judged($row, $n)) !== "") { $out[] = substr($line, 0, -1); }
            }
            return $out === [] ? "" : implode("\n", $out)."\n";');
    }

    /** Makes the fields of a row those that land. They are changed where they stand, unless columns go or change places. */
    private function landing(): string
    {
        $names = array_flip($this->read->names());
        $lands = array_filter($this->sheet, static fn (Line $l): bool => ! $l->drop);
        $fields = array_map(fn (int $i): string => $this->sheet[$i]->steps === [] ? "\$f[{$names[$this->sheet[$i]->from]}]" : $this->encoded($i), array_keys($lands));
        $inPlace = array_slice(array_map(static fn (Line $l): ?int => $l->from === null ? null : $names[$l->from], array_values($lands)), 0, count($names)) === array_values($names);
        if (! $inPlace) {
            return '$f = ['.implode(', ', $fields).'];';
        }
        $php = '';
        foreach ($fields as $at => $field) {
            $php .= $at >= count($names) ? "\$f[] = {$field}; " : ($field === "\$f[{$at}]" ? '' : "\$f[{$at}] = {$field}; ");
        }

        return $php;
    }

    /**
     * Takes a row of values, false where one is not known, and gives the landed row.
     *
     * @param  bool  $checks  whether checks are made
     * @return Closure(list<string|false|null>, array<string, string>, Treater): (list<string|false|null>|null) null if a check fails
     */
    public function row(bool $checks): Closure
    {
        $body = '';
        foreach ($this->order as $i) {
            if ($this->blocks[$i] !== []) {
                $block = implode(' ', array_column($this->blocks[$i], 1));
                $needs = implode(', ', $this->needsOf($i));
                $body .= $checks || $needs === ''
                    ? ($needs === '' ? $block : "if (Sent::all(\$f, [{$needs}])) { {$block} } else { {$this->variables[$i]} = false; } ")
                    : "try { if (Sent::all(\$f, [{$needs}])) { {$block} } else { {$this->variables[$i]} = false; } } catch (Fault) { {$this->variables[$i]} = false; } ";
            }
        }
        $out = implode(', ', array_map(fn (int $i): string => $this->variables[$i], array_keys(array_filter($this->sheet, static fn (Line $l): bool => ! $l->drop))));
        if ($checks) {
            [$conditions, $after] = $this->conditions(false);
            $body .= " if (! ({$conditions})) { return null; } {$after} \$landed = [{$out}]; {$this->counting('$landed')}";
        }

        return $this->evaluated('static function (array $f, array $stamps, \Lighterman\Core\Treatment\Treater $t)', $this->loads(false)." {$body} return [{$out}];");
    }

    /**
     * Takes a row and tells all that happens to it, step by step.
     *
     * @return Closure(list<string|false|null>, array<string, string>, Treater, Judging): void
     */
    public function trace(): Closure
    {
        $body = '';
        foreach ($this->order as $i) {
            $v = $this->variables[$i];
            $block = '';
            foreach (array_unique(array_column($this->blocks[$i], 0)) as $step) {
                $own = array_filter($this->blocks[$i], static fn (array $b): bool => $b[0] === $step);
                $block .= "\$j->begin({$i}, {$step}); ".implode(' ', array_column($own, 1))." \$j->value({$i}, {$step}, {$v}); ";
            }
            $needs = implode(', ', $this->needsOf($i));
            if (isset($this->lineErrors[$i])) {
                $body .= "{$v} = null; ";
            } else {
                $body .= $block === '' ? "\$j->value({$i}, -1, {$v}); " : "try { if (Sent::all(\$f, [{$needs}])) { {$block} } else { {$v} = false; \$j->value({$i}, -1, false); } } catch (Fault \$e) { \$j->fault({$i}, \$e); {$v} = null; } ";
            }
        }
        foreach ($this->checks as $n => $check) {
            $needs = implode(', ', $check['needs']);
            $php = $this->treatment->checks[$n]->kind === 'unique' ? $this->unique($n) : $check['php'];
            $body .= "try { \$j->checked({$n}, ! Sent::all(\$f, [{$needs}]) || {$php}); } catch (Fault \$e) { \$j->unchecked({$n}, \$e); } ";
        }

        foreach ($this->watched as $n => $rule) {
            $body .= 'try { if (Sent::all($f, ['.implode(', ', $rule['needs'])."]) && {$rule['php']}) { \$j->watched[] = {$n}; } } catch (Fault) { } ";
        }

        return $this->evaluated('static function (array $f, array $stamps, \Lighterman\Core\Treatment\Treater $t, \Lighterman\Core\Treatment\Judging $j)', $this->loads(false)." {$body}");
    }

    /** Counts what a record satisfies that lands. Where an expression fails, it is not satisfied. */
    private function counting(string $landed): string
    {
        $php = '';
        foreach ($this->watched as $n => $rule) {
            $needs = implode(', ', $rule['needs']);
            $php .= "try { if (Sent::all(\$f, [{$needs}]) && {$rule['php']}) { \$t->matched({$n}, {$landed}); } } catch (Fault) { } ";
        }

        return $php;
    }

    /** @return array{string, string} the condition under which a record passes, and what is to be noted once it has */
    private function conditions(bool $allSent = true): array
    {
        $parts = $notes = [];
        foreach ($this->checks as $n => $check) {
            $php = $check['php'];
            if ($this->treatment->checks[$n]->kind === 'unique') {
                $php = $this->unique($n);
                $notes[] = "if (\$u{$n} !== null) { \$t->seen[{$n}][\$u{$n}] = true; }";
            }
            $parts[] = $allSent || $check['needs'] === [] ? $php : '(! Sent::all($f, ['.implode(', ', $check['needs'])."]) || {$php})";
        }

        return [implode(' && ', $parts) ?: 'true', implode(' ', $notes)];
    }

    private function unique(int $n): string
    {
        $check = $this->treatment->checks[$n];
        $values = array_map(fn (string $c): string => $this->checked($check, $c)->text(), $check->columns);
        $null = implode(' || ', array_map(static fn (string $v): string => "{$v} === null", $values));

        return "((\$u{$n} = ({$null}) ? null : implode(\"\\0\", [".implode(', ', $values)."])) === null || ! isset(\$t->seen[{$n}][\$u{$n}]))";
    }

    private function loads(bool $encoded): string
    {
        $used = [];
        foreach ([...array_map(fn (int $i): array => $this->blocks[$i] === [] && $encoded ? [] : $this->needs[$i], $this->order), ...array_map(static fn (array $c): array => array_flip($c['needs']), [...$this->checks, ...$this->watched])] as $needs) {
            $used += $needs;
        }
        ksort($used);
        $loads = '';
        foreach (array_keys($used) as $at) {
            $loads .= match (true) {
                ! $encoded => "\$c{$at} = \$f[{$at}]; ",
                self::isBare($this->read->columns[$at]->type) => "\$c{$at} = \$f[{$at}] === '\\N' ? null : \$f[{$at}]; ",
                default => "\$c{$at} = \$f[{$at}] === '\\N' ? null : (strpos(\$f[{$at}], '\\\\') === false ? \$f[{$at}] : CopyText::value(\$f[{$at}])); ",
            };
        }

        return $loads;
    }

    private function encoded(int $line): string
    {
        $variable = $this->variables[$line];

        return self::isBare($this->types[$line]) || ($this->plain[$line] ?? null) === count($this->sheet[$line]->steps) - 1 ? "{$variable} ?? '\\N'" : "({$variable} === null ? '\\N' : (strpbrk({$variable}, \"\\\\\\n\\r\\t\\x08\\f\\v\") === false ? {$variable} : CopyText::field({$variable})))";
    }

    /** Whether the text form never holds anything that has to be escaped. */
    private static function isBare(Type $type): bool
    {
        return $type->kind->isInteger() || $type->kind->isMoment() || in_array($type->kind, [TypeKind::Decimal, TypeKind::Float32, TypeKind::Float64, TypeKind::Boolean, TypeKind::Date, TypeKind::Time, TypeKind::TimeTz, TypeKind::Uuid], true);
    }

    private function evaluated(string $signature, string $body): Closure
    {
        $tools = $this->tools;
        $unpack = implode(' ', array_map(static fn (int $i): string => "\$k{$i} = \$tools[{$i}];", array_keys($tools)));

        return eval(self::HEAD."return {$signature} use (\$tools) { {$unpack} {$body} };");
    }
}
