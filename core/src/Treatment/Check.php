<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Treatment\Expression\Compiler;
use Lighterman\Core\Treatment\Expression\InvalidExpression;
use Lighterman\Core\Treatment\Expression\Kind;
use Lighterman\Core\Treatment\Expression\Piece;
use Lighterman\Core\Treatment\Step\RowCode;
use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Pattern;

/** A test every record must pass, and what happens if it does not. Only `required` and `not_empty` fail on null. */
final readonly class Check
{
    public const KINDS = ['required', 'not_empty', 'range', 'list', 'pattern', 'box', 'unique', 'expression'];

    /**
     * @param  list<string>  $columns  landed names: one, but two for `box` (east, north) and any number for `unique`
     * @param  array<string, mixed>  $with  from, to; values; pattern; west, south, east, north; expression
     * @param  bool  $asRead  whether the value is looked at as it came from the source
     * @param  Outcome|null  $else  null while it is not stated
     * @param  string  $name  a word of the person's own; empty for none
     */
    public function __construct(public string $kind, public array $columns, public array $with, public ?Outcome $else, public ?FailureLimit $limit = null, public bool $asRead = false, public string $name = '')
    {
        if (! in_array($kind, self::KINDS, true)) {
            throw InvalidTreatment::of("There is no check \"{$kind}\"; there are ".implode(', ', self::KINDS).'.');
        }
        $wanted = match ($kind) {
            'box' => 2, 'expression' => 0, 'unique' => max(1, count($columns)), default => 1,
        };
        if (count($columns) !== $wanted || in_array('', $columns, true)) {
            throw InvalidTreatment::of($kind === 'box' ? 'A box needs two columns, the one that grows to the east and the one that grows to the north.' : "The check {$kind} needs ".($wanted === 1 ? 'a column' : 'its columns').'.');
        }
        if ($kind === 'range' && ($with['from'] ?? '') === '' && ($with['to'] ?? '') === '') {
            throw InvalidTreatment::of('A range needs a beginning, an end, or both.');
        }
        if ($kind === 'list' && ($with['values'] ?? []) === []) {
            throw InvalidTreatment::of('A list needs at least one value.');
        }
        if ($kind === 'box' && array_filter(['west', 'south', 'east', 'north'], static fn (string $side): bool => ! is_numeric($with[$side] ?? null)) !== []) {
            throw InvalidTreatment::of('A box needs a number for each of west, south, east and north.');
        }
        if ($kind === 'box' && ((float) $with['west'] > (float) $with['east'] || (float) $with['south'] > (float) $with['north'])) {
            throw InvalidTreatment::of('The box is empty: its west is east of its east, or its south north of its north.');
        }
    }

    /**
     * PHP that is true if a record passes or the check does not apply to it.
     *
     * @param  callable(string): Piece  $value  of a column
     *
     * @throws InvalidTreatment|InvalidExpression
     */
    public function emit(RowCode $to, callable $value): string
    {
        $pieces = array_map($value, $this->columns);

        return match ($this->kind) {
            'required' => "({$pieces[0]->php} !== null)",
            'not_empty' => "(trim({$pieces[0]->text()} ?? '') !== '')",
            'range' => $this->range($pieces[0]),
            'list' => "(({$pieces[0]->text()} ?? null) === null || isset(".$this->listed($pieces[0]).'['.($pieces[0]->kind->isNumeric() ? "Number::canonical({$pieces[0]->text()})" : $pieces[0]->text()).']))',
            'pattern' => "({$pieces[0]->text()} === null || {$this->pattern($to)}->matches({$pieces[0]->text()}))",
            'box' => $this->box($pieces),
            'expression' => $this->expression($to),
            default => 'true',
        };
    }

    private function range(Piece $value): string
    {
        [$compare, $literal] = match (true) {
            $value->kind === Kind::Number => ['Number', fn (string $v): string => is_numeric($v) ? $v : throw InvalidTreatment::of("\"{$v}\" is not a number, but {$this->columns[0]} is.")],
            $value->kind === Kind::Real => ['Number', fn (string $v): string => is_numeric($v) ? $v : throw InvalidTreatment::of("\"{$v}\" is not a number, but {$this->columns[0]} is.")],
            $value->kind->isTime() => ['Moment', fn (string $v): string => $this->moment($v)],
            $value->kind === Kind::Text => ['Text', static fn (string $v): string => $v],
            default => throw InvalidTreatment::of("{$this->columns[0]} is a {$value->kind->value}, which has no range."),
        };
        $parts = $short = [];
        foreach (['from' => '>=', 'to' => '<='] as $side => $holds) {
            if (($this->with[$side] ?? '') !== '') {
                $limit = $literal((string) $this->with[$side]);
                $parts[] = "{$compare}::compare({$value->text()}, ".var_export($limit, true).") {$holds} 0";
                $short[] = ($short === [] ? "(\$n0 = (float) {$value->php})" : '$n0')." {$holds} ".var_export((float) $limit, true);
            }
        }
        $exact = implode(' && ', $parts);
        // A double tells numbers of up to fifteen digits apart, and most are.
        $test = $value->kind === Kind::Number && max(strlen((string) $this->with['from']), strlen((string) $this->with['to'])) <= 15
            ? "(strlen({$value->php}) <= 15 && is_numeric({$value->php}) ? ".implode(' && ', $short)." : {$exact})" : "({$exact})";

        return "({$value->text()} === null || {$test})";
    }

    private function moment(string $value): string
    {
        try {
            Value\Moment::at($value);
        } catch (Fault) {
            throw InvalidTreatment::of("\"{$value}\" is not a date or moment such as 2026-11-23 or 2026-11-23 12:00:00+00.");
        }

        return $value;
    }

    private function listed(Piece $value): string
    {
        $values = [];
        foreach ((array) $this->with['values'] as $one) {
            $one = trim((string) $one);
            $values[match (true) {
                $value->kind === Kind::Flag => in_array(strtolower($one), ['t', 'true'], true) ? 't' : 'f',
                $value->kind->isNumeric() => is_numeric($one) ? Value\Number::canonical($one) : throw InvalidTreatment::of("\"{$one}\" is not a number, but {$this->columns[0]} is."),
                default => $one,
            }] = true;
        }

        return var_export($values, true);
    }

    private function pattern(RowCode $to): string
    {
        $pattern = Pattern::of((string) ($this->with['pattern'] ?? ''));

        return is_string($pattern) ? throw InvalidTreatment::of("The pattern {$this->with['pattern']}: {$pattern}.") : $to->tool($pattern);
    }

    /** @param  list<Piece>  $pieces */
    private function box(array $pieces): string
    {
        $sides = [];
        foreach ([['west', 'east'], ['south', 'north']] as $i => [$least, $most]) {
            if (! $pieces[$i]->kind->isNumeric()) {
                throw InvalidTreatment::of("{$this->columns[$i]} is a {$pieces[$i]->kind->value}, but a box needs numbers.");
            }
            $v = $pieces[$i]->text();
            $sides[] = "({$v} === null || (Number::compare({$v}, ".var_export((string) $this->with[$least], true).") >= 0 && Number::compare({$v}, ".var_export((string) $this->with[$most], true).') <= 0))';
        }

        return '('.implode(' && ', $sides).')';
    }

    private function expression(RowCode $to): string
    {
        $text = (string) ($this->with['expression'] ?? '');
        $piece = Compiler::compile($text, $to->scopeFor(null, null));

        return $piece->kind === Kind::Flag ? "({$piece->php} !== false)" : throw InvalidExpression::at($text, 1, "A check is true or false, but this is a {$piece->kind->value}.");
    }

    /** What every record must do, in words. */
    public function sentence(): string
    {
        $of = implode(', ', $this->columns).($this->asRead ? ' as read' : '');

        return match ($this->kind) {
            'required' => "have a {$of}",
            'not_empty' => "have a {$of} that is not blank",
            'range' => "have {$of} ".match (true) {
                ($this->with['from'] ?? '') === '' => "up to {$this->with['to']}",
                ($this->with['to'] ?? '') === '' => "from {$this->with['from']}",
                default => "from {$this->with['from']} to {$this->with['to']}",
            },
            'list' => "have {$of} in ".implode(', ', array_slice((array) $this->with['values'], 0, 6)).(count((array) $this->with['values']) > 6 ? '…' : ''),
            'pattern' => "have {$of} that matches {$this->with['pattern']}",
            'box' => "lie by {$of} between {$this->with['west']}, {$this->with['south']} and {$this->with['east']}, {$this->with['north']}",
            'unique' => "be the only one of its batch with its {$of}",
            default => 'satisfy '.($this->with['expression'] ?? ''),
        };
    }

    /** Lower-case word under which failures are grouped. */
    public function reason(): string
    {
        return 'check_'.$this->kind;
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['check' => $this->kind] + array_filter(['columns' => $this->columns ?: null, 'name' => $this->name ?: null, 'as_read' => $this->asRead ?: null], static fn (mixed $v): bool => $v !== null)
            + $this->with + ['else' => $this->else?->value] + ($this->limit === null ? [] : ['limit' => $this->limit->toArray()]);
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidTreatment
     */
    public static function fromArray(array $data): self
    {
        $list = static fn (mixed $v): array => array_values(array_map(static fn (mixed $s): string => trim((string) $s), is_array($v) ? $v : ($v === null || $v === '' ? [] : [$v])));
        $kind = (string) ($data['check'] ?? '');
        $with = match ($kind) {
            'range' => ['from' => (string) ($data['from'] ?? ''), 'to' => (string) ($data['to'] ?? '')],
            'list' => ['values' => $list($data['values'] ?? [])],
            'pattern' => ['pattern' => (string) ($data['pattern'] ?? '')],
            'box' => array_map(static fn (mixed $v): string => (string) $v, array_intersect_key($data + ['west' => '', 'south' => '', 'east' => '', 'north' => ''], ['west' => 1, 'south' => 1, 'east' => 1, 'north' => 1])),
            'expression' => ['expression' => (string) ($data['expression'] ?? '')],
            default => [],
        };
        $else = $data['else'] ?? null;
        if ($else !== null && $else !== '' && Outcome::tryFrom((string) $else) === null) {
            throw InvalidTreatment::of("\"{$else}\" is no outcome; use ".implode(', ', array_map(static fn (Outcome $o): string => $o->value, Outcome::cases())).'.');
        }

        return new self($kind, $list($data['columns'] ?? []), $with, Outcome::tryFrom((string) $else), FailureLimit::fromArray($data['limit'] ?? null), (bool) ($data['as_read'] ?? false), (string) ($data['name'] ?? ''));
    }
}
