<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Expression;

/** The functions that expressions may use. Those that need more than values are built into the compiler. */
final class Library
{
    /** Functions whose arguments the compiler looks at itself: what they are, and what they do. */
    public const BUILT_IN = [
        'column' => ["column('name')", 'the value of a column whose name cannot be written plainly', "column('net kg')"],
        'as_read' => ["as_read('name')", 'the value of a column as it came from the source, before any treatment', "as_read('bank_no')"],
        'coalesce' => ['coalesce(value, value…)', 'the first that is not null', 'coalesce(tare_kg, 0)'],
        'null_if' => ['null_if(value, other)', 'null if both are equal, else the first', "null_if(phone, '-')"],
        'is_null' => ['is_null(value)', 'whether it is null', 'is_null(tare_kg)'],
        'text' => ['text(value)', 'the value as text', 'text(load_id)'],
        'first_match' => ["first_match(text, 'pattern')", 'the first group of a pattern, or the whole match', "first_match(ticket, '^T(\\\\d+)')"],
        'unit' => ["unit(number, 'from', 'to')", 'a quantity in another unit', "unit(gross_kg, 'kg', 't')"],
    ];

    /** @return array<string, FunctionSpec> by name */
    public static function functions(): array
    {
        static $all = null;

        return $all ??= array_column([...self::ofText(), ...self::ofNumbers(), ...self::ofTime(), ...self::ofNested()], null, 'name');
    }

    /** @return list<string> */
    public static function names(): array
    {
        return [...array_keys(self::functions()), ...array_keys(self::BUILT_IN)];
    }

    /** @return list<FunctionSpec> */
    private static function ofText(): array
    {
        [$t, $n, $f] = [Kind::Text, Kind::Number, Kind::Flag];

        return [
            new FunctionSpec('upper', ['text' => $t], $t, 'in capital letters', 'upper(variety_code)', 'Text::upper'),
            new FunctionSpec('lower', ['text' => $t], $t, 'in small letters', 'lower(mail)', 'Text::lower'),
            new FunctionSpec('trim', ['text' => $t], $t, 'without white space at its ends', 'trim(name)', 'Text::trim'),
            new FunctionSpec('tidy', ['text' => $t], $t, 'with single spaces and none at the ends', 'tidy(name)', 'Text::tidy'),
            new FunctionSpec('left', ['text' => $t, 'n' => $n], $t, 'its first n characters', 'left(bank_no, 2)', 'Text::left'),
            new FunctionSpec('right', ['text' => $t, 'n' => $n], $t, 'its last n characters', 'right(ticket, 4)', 'Text::right'),
            new FunctionSpec('part', ['text' => $t, 'from' => $n, 'n' => $n], $t, 'n characters from one on, counted from 1', 'part(ticket, 2, 3)', 'Text::part'),
            new FunctionSpec('length', ['text' => $t], $n, 'how many characters it has', 'length(name)', 'Text::length'),
            new FunctionSpec('replace', ['text' => $t, 'what' => $t, 'by' => $t], $t, 'with every occurrence of one text replaced by another', "replace(phone, ' ', '')", 'Text::replace'),
            new FunctionSpec('pad_left', ['text' => $t, 'n' => $n, 'with' => $t], $t, 'filled at the front to n characters', "pad_left(text(load_id), 8, '0')", 'Text::padLeft', ["' '"]),
            new FunctionSpec('pad_right', ['text' => $t, 'n' => $n, 'with' => $t], $t, 'filled at the end to n characters', "pad_right(ticket, 10, '.')", 'Text::padRight', ["' '"]),
            new FunctionSpec('piece', ['text' => $t, 'mark' => $t, 'n' => $n], $t, 'the n-th piece between marks, counted from 1', "piece(name, ' ', 1)", 'Text::piece'),
            new FunctionSpec('join', ['text…' => $t], $t, 'texts one after another', "join(ticket, '/', variety_code)", 'Text::join'),
        ];
    }

    /** @return list<FunctionSpec> */
    private static function ofNumbers(): array
    {
        $n = Kind::Number;

        return [
            new FunctionSpec('number', ['text' => Kind::Text], $n, 'the number a text holds, with a decimal point; null if it is blank', 'number(share)', 'Number::of'),
            new FunctionSpec('round', ['number' => $n, 'places' => $n], $n, 'rounded, half away from zero', 'round(net_kg, 1)', 'Number::round', ["'0'"]),
            new FunctionSpec('floor', ['number' => $n], $n, 'the next whole number below', 'floor(net_kg)', 'Number::floor'),
            new FunctionSpec('ceiling', ['number' => $n], $n, 'the next whole number above', 'ceiling(net_kg)', 'Number::ceiling'),
            new FunctionSpec('absolute', ['number' => $n], $n, 'without its sign', 'absolute(grid_e)', 'Number::absolute'),
            new FunctionSpec('least', ['number…' => $n], $n, 'the smallest that is not null', 'least(gross_kg, 40000)', 'Number::least'),
            new FunctionSpec('greatest', ['number…' => $n], $n, 'the largest that is not null', 'greatest(net_kg, 0)', 'Number::greatest'),
        ];
    }

    /** @return list<FunctionSpec> */
    private static function ofTime(): array
    {
        [$m, $d, $n] = [Kind::Moment, Kind::Date, Kind::Number];
        $part = static fn (string $name, string $letter, string $says): FunctionSpec => new FunctionSpec($name, ['moment' => $m], $n, $says, "{$name}(arrived_at)", 'Moment::part', more: ["'{$letter}'"]);

        return [
            $part('year', 'y', 'its year'), $part('month', 'm', 'its month, 1 to 12'), $part('day', 'd', 'its day of the month'),
            $part('hour', 'H', 'its hour, in UTC if it has a zone'), $part('minute', 'i', 'its minute'), $part('second', 's', 'its whole second'),
            new FunctionSpec('day_of', ['moment' => $m], $d, 'its date, in UTC if it has a zone', 'day_of(arrived_at)', 'Moment::date'),
            new FunctionSpec('month_of', ['moment' => $m], $d, 'the first day of its month', 'month_of(arrived_at)', 'Moment::month'),
            new FunctionSpec('year_of', ['moment' => $m], $d, 'the first day of its year', 'year_of(arrived_at)', 'Moment::year'),
            new FunctionSpec('add_days', ['date' => $m, 'n' => $n], $d, 'a date n days later', 'add_days(joined_on, 30)', 'Moment::addDays'),
            new FunctionSpec('add_months', ['date' => $m, 'n' => $n], $d, 'a date n months later', 'add_months(joined_on, 12)', 'Moment::addMonths'),
            new FunctionSpec('days_between', ['from' => $m, 'to' => $m], $n, 'whole days from one to the other', 'days_between(joined_on, updated_at)', 'Moment::daysBetween'),
            new FunctionSpec('seconds_between', ['from' => $m, 'to' => $m], $n, 'seconds from one to the other', 'seconds_between(arrived_at, updated_at)', 'Moment::secondsBetween'),
        ];
    }

    /** @return list<FunctionSpec> */
    private static function ofNested(): array
    {
        return [
            new FunctionSpec('nested', ['value' => Kind::Nested, 'path' => Kind::Text], Kind::Text, 'what stands at a path of a nested value, as text', "nested(recipe, 'yeast.name')", 'Nested::pick'),
        ];
    }
}
