<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Closure;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/**
 * Makes functions over positional rows of what a treatment was resolved to.
 *
 * What is evaluated is made of the resolved blocks only: names of columns and whatever people type are in it as numbers and
 * quoted literals.
 */
final class RowFunctions
{
    private const HEAD = 'use Lighterman\Core\Format\CopyText; use Lighterman\Core\Treatment\Value\Fault; use Lighterman\Core\Treatment\Sent; use Lighterman\Core\Treatment\Value\{Moment, Nested, Number, Real, Text, Unit}; ';

    /** @var array<string, Closure> those that were made, by what they are for */
    private array $made = [];

    /**
     * @param  list<Line>  $sheet
     * @param  array<int, true>  $broken  lines that could not be resolved
     */
    public function __construct(private readonly Resolved $of, private readonly Shape $read, private readonly array $sheet, private readonly Treatment $treatment, private readonly array $broken)
    {
    }

    /**
     * Takes lines in the text form of COPY and gives the landed ones in the same form, without their newlines: by the fork
     * they take, Fork::OWN where there is none, and by their place among those taken. Records that fail are given to
     * Treater::judged().
     *
     * @return Closure(string, array<string, string|null>, Treater, int): array<int, array<int, string>>
     */
    public function block(): Closure
    {
        return $this->made['block'] ??= $this->compiledBlock();
    }

    private function compiledBlock(): Closure
    {
        $body = implode(' ', array_map(fn (int $i): string => implode(' ', array_column($this->of->blocks[$i], 1)), $this->of->order));
        [$checks, $after] = $this->conditions();
        $counting = $this->counting('$landed');
        $forked = $this->of->forks !== [];
        $take = $forked ? ' if ($ok) { $fork = '.$this->place().'; $ok = $fork !== '.Fork::ASIDE.'; }' : '';
        $keep = ($forked ? '$out[$fork][$n]' : '$out[]').' = '.($counting === '' ? '' : '$landed = ').'implode("\t", $f);';
        $count = $counting !== '' && $forked ? 'if ($fork !== '.Fork::DROPPED.") { {$counting} }" : $counting;

        return $this->evaluated('static function (string $block, array $stamps, \Lighterman\Core\Treatment\Treater $t, int $n)', '$out = []; $n--;
            foreach (explode("\n", substr($block, 0, -1)) as $row) {
                $n++;
                $f = explode("\t", $row);
                try { '.$this->loads(true).' '.$body.' $ok = '.$checks.';'.$take.' } catch (Fault) { $ok = false; }
                if ($ok) { '.$after.' '.$this->landing()." {$keep} {$count}".' } elseif (($line = $t->judged($row, $n)) !== "") { $out'.($forked ? '[$t->took][$n]' : '[]').' = substr($line, 0, -1); }
            }
            return '.($forked ? '$out' : '$out === [] ? [] : ['.Fork::OWN.' => $out]').';');
    }

    /** The number of the fork that a record takes, or the place of one that takes none. */
    private function place(): string
    {
        $php = (string) $this->treatment->elsewhere()->place();
        foreach (array_reverse($this->of->forks, true) as $n => $fork) {
            $php = "({$fork['php']} ? {$n} : {$php})";
        }

        return $php;
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
     * @return Closure(list<string|false|null>, array<string, string|null>, Treater): (list<string|false|null>|null) null if a check fails
     */
    public function row(bool $checks): Closure
    {
        return $this->made[$checks ? 'row' : 'before'] ??= $this->compiledRow($checks);
    }

    private function compiledRow(bool $checks): Closure
    {
        $body = '';
        foreach ($this->of->order as $i) {
            if ($this->of->blocks[$i] !== []) {
                $block = implode(' ', array_column($this->of->blocks[$i], 1));
                $needs = implode(', ', array_keys($this->of->needs[$i] ?? []));
                $body .= $checks || $needs === ''
                    ? ($needs === '' ? $block : "if (Sent::all(\$f, [{$needs}])) { {$block} } else { {$this->of->variables[$i]} = false; } ")
                    : "try { if (Sent::all(\$f, [{$needs}])) { {$block} } else { {$this->of->variables[$i]} = false; } } catch (Fault) { {$this->of->variables[$i]} = false; } ";
            }
        }
        $out = implode(', ', array_map(fn (int $i): string => $this->of->variables[$i], array_keys(array_filter($this->sheet, static fn (Line $l): bool => ! $l->drop))));
        if ($checks) {
            [$conditions, $after] = $this->conditions(false);
            $counting = $this->counting('$landed');
            $body .= " if (! ({$conditions})) { return null; }";
            if ($this->of->forks !== []) {
                $body .= " \$t->took = {$this->place()}; if (\$t->took === ".Fork::ASIDE.') { return null; }';
                $counting = $counting === '' ? '' : 'if ($t->took !== '.Fork::DROPPED.") { {$counting} }";
            }
            $body .= " {$after} \$landed = [{$out}]; {$counting}";
        }

        return $this->evaluated('static function (array $f, array $stamps, \Lighterman\Core\Treatment\Treater $t)', $this->loads(false)." {$body} return [{$out}];");
    }

    /**
     * Takes a row and tells all that happens to it, step by step.
     *
     * @return Closure(list<string|false|null>, array<string, string|null>, Treater, Judging): void
     */
    public function trace(): Closure
    {
        return $this->made['trace'] ??= $this->compiledTrace();
    }

    private function compiledTrace(): Closure
    {
        $body = '';
        foreach ($this->of->order as $i) {
            $v = $this->of->variables[$i];
            $block = '';
            foreach (array_unique(array_column($this->of->blocks[$i], 0)) as $step) {
                $own = array_filter($this->of->blocks[$i], static fn (array $b): bool => $b[0] === $step);
                $block .= "\$j->begin({$i}, {$step}); ".implode(' ', array_column($own, 1))." \$j->value({$i}, {$step}, {$v}); ";
            }
            $needs = implode(', ', array_keys($this->of->needs[$i] ?? []));
            if (isset($this->broken[$i])) {
                $body .= "{$v} = null; ";
            } else {
                $body .= $block === '' ? "\$j->value({$i}, -1, {$v}); " : "try { if (Sent::all(\$f, [{$needs}])) { {$block} } else { {$v} = false; \$j->value({$i}, -1, false); } } catch (Fault \$e) { \$j->fault({$i}, \$e); {$v} = null; } ";
            }
        }
        foreach ($this->of->checks as $n => $check) {
            $needs = implode(', ', $check['needs']);
            $key = $this->treatment->checks[$n]->kind === 'unique' ? "\$j->keys[{$n}] = \$u{$n} ?? null; " : '';
            $body .= "try { \$j->checked({$n}, ! Sent::all(\$f, [{$needs}]) || {$check['php']}); {$key}} catch (Fault \$e) { \$j->unchecked({$n}, \$e); } ";
        }

        foreach ($this->of->forks as $n => $fork) {
            $body .= 'try { if ($j->seeksFork()) { $j->fork('."{$n}, {$fork['php']}); } } catch (Fault \$e) { \$j->forkless({$n}, \$e); } ";
        }
        $body .= $this->of->forks === [] ? '' : '$j->forkless(null, null); ';

        foreach ($this->of->watched as $n => $rule) {
            $body .= 'try { if (Sent::all($f, ['.implode(', ', $rule['needs'])."]) && {$rule['php']}) { \$j->watched[] = {$n}; } } catch (Fault) { } ";
        }

        return $this->evaluated('static function (array $f, array $stamps, \Lighterman\Core\Treatment\Treater $t, \Lighterman\Core\Treatment\Judging $j)', $this->loads(false)." {$body}");
    }

    /** Counts what a record satisfies that lands. Where an expression fails, it is not satisfied. */
    private function counting(string $landed): string
    {
        $php = '';
        foreach ($this->of->watched as $n => $rule) {
            $needs = implode(', ', $rule['needs']);
            $php .= "try { if (Sent::all(\$f, [{$needs}]) && {$rule['php']}) { \$t->matched({$n}, {$landed}); } } catch (Fault) { } ";
        }

        return $php;
    }

    /** @return array{string, string} the condition under which a record passes, and what is to be noted once it has */
    private function conditions(bool $allSent = true): array
    {
        $parts = $notes = [];
        foreach ($this->of->checks as $n => $check) {
            $php = $check['php'];
            if ($this->treatment->checks[$n]->kind === 'unique') {
                $notes[] = "if (\$u{$n} !== null) { \$t->seen[{$n}][\$u{$n}] = true; }";
            }
            $parts[] = $allSent || $check['needs'] === [] ? $php : '(! Sent::all($f, ['.implode(', ', $check['needs'])."]) || {$php})";
        }

        return [implode(' && ', $parts) ?: 'true', implode(' ', $notes)];
    }

    private function loads(bool $encoded): string
    {
        $used = [];
        foreach ([...array_map(fn (int $i): array => $this->of->blocks[$i] === [] && $encoded ? [] : $this->of->needs[$i], $this->of->order), ...array_map(static fn (array $c): array => array_flip($c['needs']), [...$this->of->checks, ...$this->of->forks, ...$this->of->watched])] as $needs) {
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
        $variable = $this->of->variables[$line];

        return self::isBare($this->of->types[$line]) || ($this->of->plain[$line] ?? null) === count($this->sheet[$line]->steps) - 1 ? "{$variable} ?? '\\N'" : "({$variable} === null ? '\\N' : (strpbrk({$variable}, \"\\\\\\n\\r\\t\\x08\\f\\v\") === false ? {$variable} : CopyText::field({$variable})))";
    }

    /** Whether the text form never holds anything that has to be escaped. */
    private static function isBare(Type $type): bool
    {
        return $type->kind->isInteger() || $type->kind->isMoment() || in_array($type->kind, [TypeKind::Decimal, TypeKind::Float32, TypeKind::Float64, TypeKind::Boolean, TypeKind::Date, TypeKind::Time, TypeKind::TimeTz, TypeKind::Uuid], true);
    }

    private function evaluated(string $signature, string $body): Closure
    {
        $tools = $this->of->tools;
        $unpack = implode(' ', array_map(static fn (int $i): string => "\$k{$i} = \$tools[{$i}];", array_keys($tools)));

        return eval(self::HEAD."return {$signature} use (\$tools) { {$unpack} {$body} };");
    }
}
