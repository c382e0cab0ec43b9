<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Treatment;

use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\Expression\Kind;
use Lighterman\Core\Treatment\Expression\Library;
use Lighterman\Core\Treatment\Reach;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Treater;
use Lighterman\Core\Treatment\Treatment;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class ExpressionTest extends TestCase
{
    private const ROW = ['load_id' => '7', 'ticket' => 'T0000418', 'gross_kg' => '12345.6', 'tare_kg' => null, 'ph' => '3.25', 'wet' => 't', 'picked_on' => '2026-01-31', 'arrived_at' => '2026-02-28 23:30:00.25+00', 'recipe' => '{"yeast": {"name": "Vale", "grams": 12.50}, "passes": 3}', 'odd name' => 'x'];

    /** @return array{string|false|null, string, string|null} value, type, and error with the character it is at */
    private static function computed(string $expression): array
    {
        $types = ['int64', 'text', 'decimal(9,1)', 'decimal(9,1)', 'float64', 'boolean', 'date', 'timestamptz', 'jsonb', 'text'];
        $read = new Shape(array_map(static fn (string $n, string $t): Column => new Column($n, Type::parse($t)), array_keys(self::ROW), $types));
        $treatment = Treatment::fromArray(['columns' => [['as' => 'result', 'steps' => [['derive' => $expression]]]], 'failing' => 'set_aside']);
        $rows = new RowCompiler($read, $treatment, new Reach(static fn (): string => str_repeat('k', 32)));
        $last = count($rows->sheet) - 1;
        if (isset($rows->errors->lines[$last])) {
            return [null, '', $rows->errors->lines[$last]->getMessage()];
        }
        $judged = (new Treater($rows, $treatment, []))->look(array_values(self::ROW));

        return [$judged->final($last), (string) $rows->type($last), $judged->failures === [] ? null : $judged->failures[0]->reason];
    }

    #[Test]
    public function every_function_takes_a_null_in_any_place(): void
    {
        $sample = ['text' => "'a'", 'number' => '2', 'inexact' => 'ph', 'flag' => 'wet', 'date' => 'picked_on', 'moment' => 'arrived_at', 'nested' => 'recipe'];
        $tried = 0;
        $broken = [];
        foreach (Library::functions() as $name => $spec) {
            $arguments = array_map(static fn (Kind $k): string => $sample[$k->value] ?? "'a'", array_values($spec->takes));
            foreach (array_keys($arguments) as $at) {
                $said = array_replace($arguments, [$at => 'null']);
                foreach ([implode(', ', $said), implode(', ', array_replace($said, [$at => "null_if({$arguments[$at]}, {$arguments[$at]})"]))] as $given) {
                    try {
                        // As in SQL, a null makes the result null.
                        self::assertNull(self::computed("{$name}({$given})")[0], "{$name}({$given})");
                    } catch (\Error $e) {
                        $broken[] = "{$name}({$given}): {$e->getMessage()}";
                    }
                    $tried++;
                }
            }
        }
        self::assertSame([], $broken);
        self::assertGreaterThan(100, $tried);
    }

    /** @return iterable<string, array{string, string|null, string}> */
    public static function sound(): iterable
    {
        $all = [
            ['gross_kg - 0.1', '12345.5', 'decimal'], ['gross_kg - tare_kg', null, 'decimal'], ['gross_kg - coalesce(tare_kg, 45.6)', '12300.0', 'decimal'], ['0.1 + 0.2', '0.3', 'decimal'], ['0.000000001234567 * 2', '0.000000002469134', 'decimal'], ['4.9483997 + 9997029528.5', '9997029533.4483997', 'decimal'], ['123456789012.345 - 0.0', '123456789012.345', 'decimal'], ["trim(' voilà ') ~ '!'", 'voilà!', 'text'],
            ['1 / 3', '0.3333333333', 'decimal'], ['10 / 4', '2.5', 'decimal'], ['100 / 10', '10', 'decimal'], ['-7 % 3', '-1', 'decimal'], ['2 + 3 * 4', '14', 'decimal'], ['99999999999999 * 99999999999999', '9999999999999800000000000001', 'decimal'],
            ['ph * 2', '6.5', 'float64'], ['ph > 3', 't', 'boolean'], ['round(2.5)', '3', 'decimal'], ['round(-2.45, 1)', '-2.5', 'decimal'], ['round(1249, -2)', '1200', 'decimal'], ['floor(-1.5)', '-2', 'decimal'], ['least(3, tare_kg, 2)', '2', 'decimal'], ['greatest(load_id, 100)', '100', 'decimal'],
            ["upper(ticket) ~ '/' ~ load_id", 'T0000418/7', 'text'], ['left(ticket, 1)', 'T', 'text'], ['right(ticket, 3)', '418', 'text'], ['part(ticket, 6, 2)', '41', 'text'], ["pad_left(text(load_id), 4, '0')", '0007', 'text'], ["piece('a-b-c', '-', 2)", 'b', 'text'], ["piece('a', '-', 2)", null, 'text'],
            ["replace(ticket, '0', '')", 'T418', 'text'], ["tidy('  a   b ')", 'a b', 'text'], ['length(ticket)', '8', 'decimal'], ["number('12.50') + 1", '13.50', 'decimal'], ["first_match(ticket, '0*([1-9]\\\\d*)$')", '418', 'text'],
            ['tare_kg == null', 't', 'boolean'], ['is_null(gross_kg)', 'f', 'boolean'], ['tare_kg > 3', null, 'boolean'], ['tare_kg > 3 or wet', 't', 'boolean'], ['tare_kg > 3 and not wet', 'f', 'boolean'], ['not (tare_kg > 3)', null, 'boolean'], ["tare_kg > 3 ? 'yes' : 'no'", 'no', 'text'], ["ticket matches '^T\\\\d+$'", 't', 'boolean'],
            ["ticket in ['A', 'T0000418']", 't', 'boolean'], ['load_id not in [7, 8]', 'f', 'boolean'], ["ticket starts with 'T'", 't', 'boolean'], ['wet ? 1 : 2', '1', 'decimal'], ['wet == true', 't', 'boolean'], ["null_if(ticket, 'T0000418')", null, 'text'], ['tare_kg ?? gross_kg', '12345.6', 'decimal'],
            ['year(picked_on)', '2026', 'decimal'], ['day_of(arrived_at)', '2026-02-28', 'date'], ['add_months(picked_on, 1)', '2026-02-28', 'date'], ['add_days(picked_on, 1)', '2026-02-01', 'date'], ['days_between(picked_on, arrived_at)', '28', 'decimal'], ['seconds_between(picked_on, arrived_at)', '2503800.250000', 'decimal'], ["picked_on < '2026-02-01'", 't', 'boolean'], ['month_of(arrived_at)', '2026-02-01', 'date'],
            ["nested(recipe, 'yeast.grams')", '12.50', 'text'], ["number(nested(recipe, 'passes')) * 2", '6', 'decimal'], ["nested(recipe, 'yeast')", '{"name": "Vale", "grams": 12.50}', 'text'], ["nested(recipe, 'none.at.all')", null, 'text'],
            ["unit(gross_kg, 'kg', 't')", '12.3456', 'decimal'], ["unit(1, 'acre', 'm2')", '4046.8564224', 'decimal'], ["unit(100, 'C', 'F')", '212', 'decimal'], ["column('odd name')", 'x', 'text'],
            ['0.1234567890123456789', '0.1234567890123456789', 'decimal'], ['123456789012345678901234567890 + 1', '123456789012345678901234567891', 'decimal'], ['-1_000.50', '-1000.50', 'decimal'], ['.5 + 1e2', '100.5', 'decimal'],
            ["ticket matches '^T\\d+$'", 't', 'boolean'], ["first_match('a1b22', '\\d\\d')", '22', 'text'], ["'it\\'s' ~ \"\\t\" ~ 'C:\\dir'", "it's\tC:\\dir", 'text'],
            ["picked_on == '2026-01-31'", 't', 'boolean'], ["picked_on in ['2026-01-30', '2026-01-31']", 't', 'boolean'],
            ['load_id != 0 and 10 / load_id > 1', 't', 'boolean'], ['load_id == 7 or 1 / 0 > 1', 't', 'boolean'],
        ];
        foreach ($all as $one) {
            yield $one[0] => $one;
        }
    }

    #[Test]
    public function a_date_is_compared_with_dates_only(): void
    {
        foreach (['picked_on == 5' => 'A date cannot be compared with a number', "picked_on < 'yesterday'" => 'The value is not a date or a moment', "'2026-02-30' < picked_on" => 'There is no such day', 'picked_on in [1, 2]' => 'cannot be compared', "arrived_at in ['noon']" => 'The value is not a date'] as $expression => $said) {
            self::assertStringContainsString($said, (string) self::computed($expression)[2], $expression);
        }
        self::assertStringContainsString('at most 100 digits', (string) self::computed('1e400000')[2]);
    }

    #[Test, DataProvider('sound')]
    public function it_computes(string $expression, ?string $value, string $type): void
    {
        $numeric = static fn (?string $v): ?string => $v !== null && is_numeric($v) ? rtrim(rtrim($v.(str_contains($v, '.') ? '' : '.'), '0'), '.') : $v;
        [$is, $of, $error] = self::computed($expression);
        self::assertNull($error);
        self::assertSame([$numeric($value), $type], [is_string($is) ? $numeric($is) : $is, $of]);
    }

    /** @return iterable<string, array{string, string}> */
    public static function unsound(): iterable
    {
        $all = [
            ['gros_kg + 1', 'There is no column "gros_kg". Did you mean "gross_kg"? (at character 1).'], ['1 + uper(ticket)', 'There is no function "uper". Did you mean "upper"? (at character 5).'], ['gross_kg + ticket', 'A number is wanted here, but this is a text. number(…) makes one of a text (at character 12).'],
            ['gross_kg +', 'The expression ends too early (at character 11).'], ['(gross_kg', 'Unclosed "(" (at character 1).'], ['upper(1, 2)', 'It is written upper(text) (at character 1).'], ['result + 1', 'result is computed from itself, in a circle.'], ["unit(1, 'kg', 'm')", 'kg cannot be turned into m.'], ["ticket matches '(a'", 'not a pattern: check brackets'],
            ['ticket matches ticket', 'A pattern is written as a text in quotes (at character 16).'], ['1..1000000000', 'The operator .. is not offered (at character 4).'], ['recipe.yeast', "Parts of a nested value are taken with nested(value, 'path') (at character 1)."], ["wet ? 1 : 'a'", 'but the other is a number'], ['ticket > 3', 'A text cannot be compared with a number (at character 10).'],
            ['ticket.upper()', 'Parts of a nested value'], ['system("id")', 'There is no function "system"'], ['{a: 1}', 'A list can stand only after "in"'], ['', 'There is no expression'], [str_repeat('(', 200).'1'.str_repeat(')', 200).' + gross_kg + nothing', ''], [implode(' + ', array_fill(0, 2000, 'gross_kg')), 'at most 4000 characters'],
        ];
        foreach ($all as $one) {
            yield substr($one[0], 0, 40) => $one;
        }
    }

    #[Test, DataProvider('unsound')]
    public function it_says_what_is_wrong_and_where(string $expression, string $said): void
    {
        [, , $error] = self::computed($expression);
        self::assertNotNull($error);
        self::assertStringContainsString($said, $error);
    }

    /** @return iterable<string, array{string, string}> */
    public static function failing(): iterable
    {
        yield 'division by zero' => ['gross_kg / (load_id - 7)', 'division_by_zero'];
        yield 'remainder of zero' => ['load_id % 0', 'division_by_zero'];
        yield 'a pattern that backtracks for ever' => ["pad_left('!', 40, 'a') matches '^(a+)+$'", 'pattern_gave_up'];
        yield 'a gigabyte of text' => ["length(pad_left('a', 999999999, 'b'))", 'too_long'];
        yield 'text doubled again and again' => ['length('.str_repeat("replace(pad_left('', 900, 'a'), 'a', ", 1)."pad_left('', 9000, 'b')))", 'too_long'];
        yield 'a number with a million digits' => ["number('1e999999') + 1", 'out_of_range'];
        yield 'no number at all' => ["number('twelve')", 'not_a_number'];
        yield 'no date' => ["nested('{', 'a')", 'not_json'];
    }

    #[Test, DataProvider('failing')]
    public function it_fails_the_record_and_not_the_worker(string $expression, string $reason): void
    {
        $before = memory_get_usage();
        self::assertSame($reason, self::computed($expression)[2]);
        self::assertLessThan(50_000_000, memory_get_usage() - $before);
    }

    #[Test]
    public function a_value_nested_a_thousand_deep_fails_the_record(): void
    {
        $read = new Shape([new Column('j', Type::parse('text'))]);
        $treatment = Treatment::fromArray(['columns' => [['from' => 'j', 'as' => 'a', 'steps' => [['pick' => 'a']]]], 'failing' => 'set_aside']);
        $treater = new Treater(new RowCompiler($read, $treatment, new Reach(static fn (): string => '')), $treatment, []);
        $treated = $treater->block(str_repeat('{"a":', 1000).'1'.str_repeat('}', 1000)."\n{\"a\": 2}\n");
        $landed = $treated->own();
        self::assertSame("2\n", $landed);
        self::assertSame('too_deep', $treated->apart[0]->judging->failures[0]->reason);
    }

    #[Test]
    public function what_people_type_never_becomes_php(): void
    {
        $nasty = "'); throw new \\Error('run'); ('";
        foreach (['"'.addcslashes($nasty, '"\\').'"', "replace(ticket, '\$k0', '\\\\')", "column('odd name') ~ '\${x}' ~ '{\$f[0]}'"] as $expression) {
            self::assertNull(self::computed($expression)[2]);
        }
        self::assertSame($nasty, self::computed('"'.addcslashes($nasty, '"\\').'"')[0]);
        $read = new Shape([new Column("a'] = 1; //", Type::parse('text')), new Column('$t->seen', Type::parse('text'))]);
        $treatment = Treatment::fromArray(['columns' => [['from' => "a'] = 1; //", 'as' => "b\\'", 'steps' => [['mask' => 'fixed', 'text' => $nasty]]]], 'failing' => 'stop']);
        $landed = (new Treater(new RowCompiler($read, $treatment, new Reach(static fn (): string => '')), $treatment, []))->block("x\ty\n")->own();
        self::assertSame(str_replace('\\', '\\\\', $nasty)."\ty\n", $landed);
    }
}
