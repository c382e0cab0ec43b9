<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Treatment;

use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Line;
use Lighterman\Core\Treatment\PersonalData;
use Lighterman\Core\Treatment\Reach;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Step\Pick;
use Lighterman\Core\Treatment\Step\Steps;
use Lighterman\Core\Treatment\Treater;
use Lighterman\Core\Treatment\Treatment;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class StepTest extends TestCase
{
    /**
     * @param  list<array<string, mixed>>  $steps
     * @return array{string|false|null, string|null, string} value, reason of a failure, type
     */
    private static function done(array $steps, ?string $value, string $type = 'text', string $key = 'k'): array
    {
        $read = new Shape([new Column('c', Type::parse($type))]);
        $treatment = Treatment::fromArray(['columns' => [['from' => 'c', 'steps' => $steps]], 'failing' => 'set_aside']);
        $rows = new RowCompiler($read, $treatment, new Reach(static fn (): string => str_repeat($key, 32)));
        $rows->demandFlawless();
        $judged = (new Treater($rows, $treatment, []))->look([$value]);

        return [$judged->failures === [] ? $judged->final(0) : null, $judged->failures[0]->reason ?? null, (string) $rows->type(0)];
    }

    /** @return iterable<string, array{array<string, mixed>, string|null, string|null, string}> an exclamation mark for a value that fails */
    public static function conversions(): iterable
    {
        yield 'decimal comma' => [['convert' => 'decimal(5,2)', 'decimal' => ','], '12,5', '12.50', 'text'];
        yield 'thousands' => [['convert' => 'decimal(12,2)', 'decimal' => ',', 'thousands' => '.'], '1.234.567,891', '1234567.89', 'text'];
        yield 'rounded half away from zero' => [['convert' => 'decimal(5,1)'], '-0.25', '-0.3', 'text'];
        yield 'too many digits' => [['convert' => 'decimal(5,2)'], '1234.5', '!', 'text'];
        yield 'small integer' => [['convert' => 'int16'], '32767', '32767', 'text'];
        yield 'too large for it' => [['convert' => 'int16'], '32768', '!', 'text'];
        yield 'not whole' => [['convert' => 'int32'], '1.5', '!', 'text'];
        yield 'whole though it has decimals' => [['convert' => 'int32'], '7.00', '7', 'decimal(9,2)'];
        yield 'blank number' => [['convert' => 'int32'], '  ', null, 'text'];
        yield 'words' => [['convert' => 'boolean', 'true' => ['J'], 'false' => ['N']], 'j', 't', 'text'];
        yield 'number of a flag' => [['convert' => 'int16'], 't', '1', 'boolean'];
        yield 'date by format' => [['convert' => 'date', 'format' => 'dd.MM.yyyy'], '07.03.1926', '1926-03-07', 'text'];
        yield 'compact date' => [['convert' => 'date', 'format' => 'yyyyMMdd'], '20261123', '2026-11-23', 'text'];
        yield 'date of zeros' => [['convert' => 'date', 'format' => 'yyyyMMdd'], '00000000', null, 'text'];
        yield 'thirtieth of February' => [['convert' => 'date'], '2026-02-30', '!', 'text'];
        yield 'moment in a zone' => [['convert' => 'timestamptz', 'format' => 'dd/MM/yyyy HH:mm', 'zone' => 'Europe/London'], '01/07/2026 09:30', '2026-07-01 08:30:00+00', 'text'];
        yield 'moment with an offset' => [['convert' => 'timestamptz'], '2026-07-01T09:30:00.5+02:00', '2026-07-01 07:30:00.5+00', 'text'];
        yield 'an offset that there is not' => [['convert' => 'timestamptz', 'format' => 'yyyy-MM-dd HH:mm XXX'], '2026-07-01 09:30 +99:99', '!', 'text'];
        yield 'the end of a day' => [['convert' => 'timestamptz'], '2026-06-30T24:00:00Z', '2026-07-01 00:00:00+00', 'text'];
        yield 'after the end of a day' => [['convert' => 'timestamptz'], '2026-06-30 24:00:01', '!', 'text'];
        yield 'a far year in a zone' => [['convert' => 'timestamptz', 'zone' => 'Europe/London'], '10000-07-01 01:00', '10000-07-01 00:00:00+00', 'text'];
        yield 'an hour that comes twice' => [['convert' => 'timestamptz', 'zone' => 'Europe/London'], '2026-10-25 01:30', '2026-10-25 01:30:00+00', 'text'];
        yield 'date of a moment' => [['convert' => 'date'], '2026-07-01 23:59:59.9+00', '2026-07-01', 'timestamptz'];
        yield 'text of a date' => [['convert' => 'text', 'format' => "d. M. yyyy 'Uhr'"], '2026-07-01', '1. 7. 2026 Uhr', 'date'];
        yield 'time' => [['convert' => 'time'], '070530', '07:05:30', 'text'];
        yield 'uuid' => [['convert' => 'uuid'], '{0F8FAD5B-D9CB-469F-A165-70867728950E}', '0f8fad5b-d9cb-469f-a165-70867728950e', 'text'];
        yield 'not JSON' => [['convert' => 'jsonb'], '{"a":', '!', 'text'];
        yield 'bytes' => [['convert' => 'bytes'], 'ä', '\\xc3a4', 'text'];
        yield 'longer text' => [['convert' => 'varchar(200)'], 'abc', 'abc', 'varchar(80)'];
        yield 'text that is too long' => [['convert' => 'varchar(2)'], 'äöü', '!', 'text'];
        yield 'else null' => [['convert' => 'int32', 'else' => 'null'], 'x', null, 'text'];
        yield 'else another value' => [['convert' => 'int32', 'else' => 'use', 'use' => '-1'], 'x', '-1', 'text'];
        foreach (['12/6' => [], '12.34.56' => [], '1,5' => [], '1 000' => [], '--1' => [], 'e5' => [], '.' => [], "1\n2" => []] + [
            '1.5' => ['decimal' => ',', 'thousands' => '.'], '1.23.456' => ['decimal' => ',', 'thousands' => '.'], '12.34,5' => ['decimal' => ',', 'thousands' => '.'],
            '1,50' => ['thousands' => ','], '1234,567' => ['thousands' => ','], '1,234,56' => ['thousands' => ','],
        ] as $text => $marks) {
            yield "{$text} is no number with ".json_encode($marks) => [['convert' => 'decimal(12,2)'] + $marks, (string) $text, '!', 'text'];
            yield "nor an inexact one: {$text} ".json_encode($marks) => [['convert' => 'float64'] + $marks, (string) $text, '!', 'text'];
        }
        yield 'groups of digits' => [['convert' => 'decimal(12,2)', 'thousands' => ','], '-1,234,567.8', '-1234567.80', 'text'];
        yield 'no groups though they may be' => [['convert' => 'decimal(12,2)', 'thousands' => ','], '1234567.8', '1234567.80', 'text'];
        yield 'spaces between groups' => [['convert' => 'decimal(12,2)', 'decimal' => ',', 'thousands' => ' '], "1\u{202F}234 567,8", '1234567.80', 'text'];
        yield 'point without digits before it' => [['convert' => 'decimal(5,2)'], '+.5', '0.50', 'text'];
        yield 'greater than a double' => [['convert' => 'float64'], '1e400', '!', 'text'];
        yield 'less than a double' => [['convert' => 'float64'], '1e-400', '!', 'text'];
        yield 'greater than single precision' => [['convert' => 'float32'], '1e39', '!', 'text'];
        yield 'infinity that is said' => [['convert' => 'float64'], '-Infinity', '-Infinity', 'text'];
        yield 'a dash is no date' => [['convert' => 'date'], '-', '!', 'text'];
        yield 'nor is a stroke' => [['convert' => 'date', 'format' => 'dd/MM/yyyy'], '/', '!', 'text'];
        yield 'date of a moment with an offset' => [['convert' => 'date'], '2026-07-01T01:30:00+02:00', '2026-06-30', 'text'];
        yield 'the same by a format' => [['convert' => 'date', 'format' => 'yyyy-MM-dd HH:mm XXX'], '2026-07-01 01:30 +02:00', '2026-06-30', 'text'];
        yield 'and in a zone' => [['convert' => 'date', 'zone' => 'Europe/Madrid'], '2026-07-01T01:30:00+02:00', '2026-07-01', 'text'];
        yield 'time in a zone' => [['convert' => 'timestamp', 'zone' => 'Europe/Madrid'], '2026-07-01T01:30:00.25+00:00', '2026-07-01 03:30:00.25', 'text'];
        yield 'time without an offset as it stands' => [['convert' => 'timestamp', 'zone' => 'Europe/Madrid'], '2026-07-01T01:30:00', '2026-07-01 01:30:00', 'text'];
        yield 'inexact' => [['convert' => 'float64', 'decimal' => ','], '1,5e3', '1500.0', 'text'];
    }

    #[Test, DataProvider('conversions')]
    public function it_converts(array $step, ?string $value, ?string $wanted, string $type): void
    {
        [$is, $reason] = self::done([$step], $value, $type);
        self::assertSame($wanted === '!', $reason !== null, (string) $reason);
        $wanted = $wanted === '!' ? null : $wanted;
        self::assertSame($wanted === '1500.0' ? 1500.0 : $wanted, $wanted === '1500.0' ? (float) $is : $is);
    }

    /** @return iterable<string, array{array<string, mixed>, string, string, string}> */
    public static function masks(): iterable
    {
        yield 'keep last' => [['mask' => 'keep_last', 'keep' => 3], '01632 960417', '·········417', 'text'];
        yield 'nothing left to hide' => [['mask' => 'keep_last', 'keep' => 9], 'Wen', '···', 'text'];
        yield 'shape' => [['mask' => 'keep_shape'], 'Wen Åldridge-9a Ⅷ', 'Xxx Xxxxxxxx-9x 9', 'text'];
        yield 'shape of letters with marks' => [['mask' => 'keep_shape'], "हिन्दी, e\u{301}té, \u{301}", 'xxx, xxx, ', 'text'];
        yield 'shape of plain text' => [['mask' => 'keep_shape'], 'XaZ-09', 'XxX-99', 'text'];
        yield 'fixed' => [['mask' => 'fixed', 'text' => 'hidden'], 'Wen', 'hidden', 'text'];
        yield 'month' => [['mask' => 'month'], '1987-04-23', '1987-04-01', 'date'];
        yield 'year of a moment' => [['mask' => 'year'], '1987-04-23 10:00:00+00', '1987-01-01', 'timestamptz'];
    }

    #[Test, DataProvider('masks')]
    public function it_masks(array $step, string $value, string $wanted, string $type): void
    {
        self::assertSame($wanted, self::done([$step], $value, $type)[0]);
        self::assertNull(self::done([$step], null, $type)[0]);
    }

    #[Test]
    public function a_keyed_hash_is_the_same_for_a_value_whatever_its_column_and_another_with_another_key(): void
    {
        $hash = self::done([['mask' => 'keyed_hash']], '1187')[0];
        self::assertMatchesRegularExpression('/^[0-9a-f]{32}$/', (string) $hash);
        self::assertSame($hash, self::done([['mask' => 'keyed_hash']], '1187', 'int32')[0]);
        self::assertNotSame($hash, self::done([['mask' => 'keyed_hash']], '1188')[0]);
        self::assertNotSame($hash, self::done([['mask' => 'keyed_hash']], '1187', key: 'l')[0]);
    }

    #[Test]
    public function steps_are_done_in_order(): void
    {
        self::assertSame('·······60417', self::done([['derive' => "replace(value, ' ', '')"], ['derive' => "'+' ~ value"], ['mask' => 'keep_last', 'keep' => 5]], '01632 9 60417')[0]);
    }

    #[Test]
    public function nested_values_are_flattened_and_the_rest_is_kept(): void
    {
        $json = '{"e": 4180, "n": 22.50, "deep": {"a": [1, 2.0]}, "big": 12345678901234567890}';
        self::assertSame('22.50', self::done([['pick' => 'n']], $json, 'jsonb')[0]);
        self::assertSame('12345678901234567890', self::done([['pick' => 'big']], $json, 'jsonb')[0]);
        self::assertSame('2.0', self::done([['pick' => 'deep.a.1']], $json, 'jsonb')[0]);
        self::assertSame('{"deep":{"a": [1, 2.0]}}', self::done([['rest_without' => ['e', 'n', 'big']]], $json, 'jsonb')[0]);
        self::assertSame('{}', self::done([['rest_without' => ['e']]], '{"e":1}', 'jsonb')[0]);
    }

    #[Test]
    public function what_cannot_be_done_is_refused_with_a_remedy(): void
    {
        foreach ([[['mask' => 'blur'], 'There is no mask'], [['convert' => 'number'], 'is not a type'], [['convert' => 'decimal(2,5)'], 'no more after the point'], [['convert' => 'date', 'format' => 'qq'], '"qq" in the date format'], [['mask' => 'month'], 'Only a date can be cut'],
            [['convert' => 'timestamptz', 'zone' => 'Nowhere/Here'], 'is not a time zone'], [['convert' => 'int32', 'else' => 'use', 'use' => 'x'], 'cannot be put in place'], [['convert' => 'int32', 'decimal' => ',', 'thousands' => ','], 'not the same'], [['stamp' => 'moon'], 'There is no stamp'], [['nothing' => 1], 'A step is one of']] as [$step, $said]) {
            try {
                self::done([$step], 'x');
                self::fail("not refused: {$said}");
            } catch (InvalidTreatment $e) {
                self::assertStringContainsString($said, $e->getMessage());
            }
        }
    }

    #[Test]
    public function lines_and_types_come_back_from_their_own_spelling(): void
    {
        foreach ([['from' => 'a', 'as' => 'b', 'steps' => [['mask' => 'keep_last', 'keep' => 2]]], ['from' => 'a', 'drop' => true], ['as' => 'x', 'steps' => [['derive' => '1 + 1', 'type' => 'int32'], ['convert' => 'varchar(20)', 'else' => 'null']]], ['from' => 'j', 'as' => 'j_rest', 'steps' => [['rest_without' => ['a', 'b']]]]] as $said) {
            self::assertEquals($said, Line::fromArray($said)->toArray());
        }
        foreach (Type::writable() as $kind) {
            self::assertSame($kind, Type::parse($kind->value)->kind);
        }
        self::assertSame('decimal(9,2)', (string) Type::parse(' DECIMAL( 9, 2 ) '));
    }

    /** @return iterable<string, array{string, list<string|null>, string|null}> */
    public static function columns(): iterable
    {
        yield 'mail' => ['contact', ['wen@aldermoor.example', 'bo@vale.example', null], 'mail address'];
        yield 'phone' => ['phone', ['01632 960417', '01632 960418'], 'phone number'];
        yield 'account with right check digits' => ['ref', ['GB82 WEST 1234 5698 7654 32'], 'bank account'];
        yield 'account by its shape and name' => ['bank_no', ['GB00 ALDM 4400 9200'], 'bank account'];
        yield 'card' => ['paid_with', ['4111 1111 1111 1111', '5555555555554444'], 'card number'];
        yield 'sixteen digits that are no card' => ['serial', ['4111 1111 1111 1112'], null];
        yield 'name' => ['name', ['Wen Aldridge', 'Osric Elverton'], 'person\'s name'];
        yield 'ticket' => ['ticket', ['T0000418', 'T0000419'], null];
        yield 'identifier' => ['id', ['1187', '1188'], null];
        yield 'dates' => ['updated', ['2026-11-23', '2026-11-24'], null];
        yield 'empty' => ['mail', [null, ''], null];
    }

    #[Test, DataProvider('columns')]
    public function columns_that_look_personal_are_found(string $name, array $values, ?string $what): void
    {
        self::assertSame($what, PersonalData::find(new Column($name, Type::parse('text')), $values, 'growers')['what'] ?? null);
    }

    #[Test]
    public function a_birth_date_is_personal_and_other_dates_are_not(): void
    {
        self::assertSame('birth date', PersonalData::find(new Column('date_of_birth', Type::parse('date')), ['1987-04-23'], 'growers')['what'] ?? null);
        self::assertNull(PersonalData::find(new Column('joined_on', Type::parse('date')), ['1987-04-23'], 'growers'));
        self::assertNull(PersonalData::find(new Column('name', Type::parse('text')), ['Amber Foxtail', 'Crimson Pippin'], 'varieties'));
    }

    #[Test]
    public function every_step_says_of_itself_what_others_ask(): void
    {
        $typed = ['mask' => 'keep_last', 'keep' => ' 3 ', 'convert' => 'int32', 'thousands' => '.', 'decimal' => ',', 'true' => 'yes, ja', 'derive' => 'value', 'pick' => 'a.b', 'lookup' => 'public.growers', 'system' => 'gate', 'match' => 'id', 'take' => 'name', 'age_minutes' => '0.5', 'stamp' => 'run'];
        foreach (Steps::all() as $step) {
            self::assertSame($step, Steps::named($step::name()));
            $said = $step::typed($typed);
            self::assertSame([], array_diff(array_keys($said), array_keys($step::schema())), "{$step::name()}: its schema knows what is typed");
            $made = Steps::of($said);
            self::assertInstanceOf($step, $made);
            self::assertSame([], array_diff(array_keys($made->toArray()), array_keys($step::schema())));
            self::assertEquals($made, Steps::of($made->toArray()));
            self::assertTrue($step::begins() === null || Steps::of($step::begins() + ['system' => 'gate']) instanceof $step);
        }
        self::assertEquals(new Pick('', ['a', 'b']), Steps::of(Pick::typed(['rest_without' => 'a, b'])));
        self::assertEquals(new Pick(''), Steps::of(Pick::typed(['rest_without' => null])), 'a field that was emptied is still there');
        self::assertNull(Steps::named('paint'));
        $this->expectExceptionMessage('A step is one of mask, convert, derive, pick, lookup, stamp.');
        Steps::of(['paint' => 'green']);
    }
}
