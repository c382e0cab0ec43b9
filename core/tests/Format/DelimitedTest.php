<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Format;

use InvalidArgumentException;
use Lighterman\Core\Format\Delimited\Detection;
use Lighterman\Core\Format\Delimited\Dialect;
use Lighterman\Core\Format\Delimited\Line;
use Lighterman\Core\Format\Delimited\Reader;
use Lighterman\Core\Format\Delimited\Writer;
use Lighterman\Core\Format\Guess;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;
use Random\Engine\Mt19937;
use Random\Randomizer;

final class DelimitedTest extends TestCase
{
    /** What the laboratory leaves: semicolons, a decimal comma, dates with the day first. */
    private const LAB = "sample;taken_on;sugar_oe;ph;remark\r\n000417;03.11.2026;52,4;3,41;\r\n000418;03.11.2026;49,0;3,6;\"cloudy; again\"\r\n000419;04.11.2026;;3,55;ähnlich\r\n";

    /** @return list<Line> */
    private static function lines(string $text, Dialect $dialect, int $piece = 1000, ?int $width = null): array
    {
        return iterator_to_array((new Reader($text === '' ? [] : str_split($text, $piece), $dialect, $width))->lines(), false);
    }

    /**
     * @param  list<Line>  $lines
     * @return list<list<string|null>>
     */
    private static function fields(array $lines): array
    {
        return array_map(static fn (Line $l): array => $l->fields, $lines);
    }

    #[Test]
    public function what_is_written_comes_back_however_it_is_cut(): void
    {
        $seed = random_int(1, PHP_INT_MAX);
        $random = new Randomizer(new Mt19937($seed));
        $parts = ['a', 'ä', '🍎', '"', '""', ';', ',', "\t", "\n", ' ', '1,5', '\\N', '', "'", '0'];
        foreach ([new Dialect, new Dialect(';'), new Dialect("\t", '"', false, 'UTF-8', '\\N'), new Dialect('|', "'")] as $dialect) {
            $rows = [];
            for ($i = 0; $i < 400; $i++) {
                $rows[] = array_map(static fn (): ?string => $random->getInt(0, 5) === 0 ? null : implode('', array_map(static fn (): string => $parts[$random->getInt(0, count($parts) - 1)], range(1, $random->getInt(1, 6)))), range(1, 4));
            }
            $writer = new Writer($dialect, new Shape(array_map(static fn (string $n): Column => new Column($n, Type::parse('text')), ['a', 'b', 'c', 'd'])));
            $text = $writer->begin().implode('', array_map($writer->row(...), $rows)).$writer->end();
            $reader = new Reader(str_split($text, $random->getInt(1, 300)), $dialect);
            self::assertSame($rows, self::fields(iterator_to_array($reader->lines(), false)), "seed {$seed}");
            self::assertSame($dialect->header ? ['a', 'b', 'c', 'd'] : null, $reader->header());
        }
    }

    #[Test]
    public function bad_lines_are_told_with_their_numbers_and_the_good_ones_read_on(): void
    {
        $text = "id,name\n1,one\n2\n3,\"three\nand more\"\n4,fo\"ur\n5,\"five\" x\n6,six,7\n\n8,\"never closed\n9,nine\n10,\"ten\"\n";
        $lines = self::lines($text, new Dialect, 5);
        self::assertSame([[2, null], [3, 'it has 1 field instead of 2'], [4, null], [6, 'a quote stands in the middle of a field'], [7, 'something follows a closing quote'], [8, 'it has 3 fields instead of 2']],
            array_map(static fn (Line $l): array => [$l->number, $l->fault], array_slice($lines, 0, 6)));
        self::assertSame(['3', "three\nand more"], $lines[2]->fields);
        self::assertSame('4,fo"ur', $lines[3]->text);
        // The quote that is opened on line 10 would close with the next one, two lines on, in the middle of a field.
        self::assertSame([10, 'a quote is not closed'], [$lines[6]->number, $lines[6]->fault]);
        self::assertSame([[11, ['9', 'nine']], [12, ['10', 'ten']]], array_map(static fn (Line $l): array => [$l->number, $l->fields], array_slice($lines, 7)));
        $alone = self::lines("1,\"open\n2,b\n3,c\n", new Dialect(header: false), 3);
        self::assertSame([[1, 'a quote is not closed'], [2, null], [3, null]], array_map(static fn (Line $l): array => [$l->number, $l->fault], $alone));
        self::assertSame([], self::lines('', new Dialect));
        self::assertSame([['1', null]], self::fields(self::lines('1,', new Dialect(header: false))));
    }

    #[Test]
    public function a_million_small_pieces_keep_the_same_lines(): void
    {
        $text = "\xEF\xBB\xBFn\n".implode('', array_map(static fn (int $n): string => "{$n}\n", range(1, 5000)));
        self::assertSame(array_map(static fn (int $n): array => [(string) $n], range(1, 5000)), self::fields(self::lines($text, new Dialect, 1)));
    }

    #[Test]
    #[DataProvider('encodings')]
    public function other_encodings_are_read(string $encoding, string $mark): void
    {
        $text = $mark.mb_convert_encoding(str_replace('🍎', $encoding === 'Windows-1252' ? '€' : '🍎', "name;wert\nBirne 🍎;äöü\n"), $encoding, 'UTF-8');
        $detected = Detection::in($text);
        self::assertSame($encoding, $detected->dialect->encoding);
        foreach ([1, 3, 1000] as $piece) {
            self::assertSame([[$encoding === 'Windows-1252' ? 'Birne €' : 'Birne 🍎', 'äöü']], self::fields(self::lines($text, new Dialect(';', '"', true, $encoding), $piece)));
        }
    }

    /** @return iterable<string, array{string, string}> */
    public static function encodings(): iterable
    {
        yield 'UTF-8 with a mark' => ['UTF-8', "\xEF\xBB\xBF"];
        yield 'UTF-16, small end first' => ['UTF-16LE', "\xFF\xFE"];
        yield 'UTF-16, great end first, without a mark' => ['UTF-16BE', ''];
        yield 'one byte a character' => ['Windows-1252', ''];
    }

    #[Test]
    public function the_laboratorys_file_is_recognised_with_the_evidence(): void
    {
        $detected = Detection::in(self::LAB);
        self::assertEquals(new Dialect(';', '"', true, 'UTF-8', '', ','), $detected->dialect);
        self::assertSame('4 of 4 lines have 5 fields parted by semicolons', $detected->evidence['delimiter']);
        self::assertSame([
            ['sample', 'text', null, 'text in 3 of 3'],
            ['taken_on', 'date', 'dd.MM.yyyy', 'date dd.MM.yyyy in 3 of 3'],
            ['sugar_oe', 'decimal(7,1)', null, 'decimal in 2 of 3; 1 empty'],
            ['ph', 'decimal(7,2)', null, 'decimal in 3 of 3'],
            ['remark', 'text', null, 'text in 2 of 3; 1 empty'],
        ], array_map(static fn (array $c): array => [$c['name'], (string) $c['type'], $c['format'], $c['evidence']], $detected->columns));
    }

    #[Test]
    public function types_are_told_with_how_many_values_fit(): void
    {
        $rows = ['id,big,flag,day,at,code,price,mixed'];
        for ($n = 1; $n <= 1000; $n++) {
            $rows[] = implode(',', [$n, $n * 10_000_000_000, $n % 2 ? 'true' : 'FALSE', '2026-11-'.sprintf('%02d', 1 + $n % 28), '2026-11-24 10:00:00.5+01:00', sprintf('%06d', $n), $n === 7 ? 'n/a' : ($n === 8 ? '' : $n / 4), $n % 3 ? $n : 'x']);
        }
        $detected = Detection::in(implode("\n", $rows)."\n1001,cut sh");
        self::assertSame(['int64', 'int64', 'boolean', 'date', 'timestamptz', 'text', 'decimal(9,2)', 'text'], array_map(static fn (array $c): string => (string) $c['type'], $detected->columns));
        self::assertSame(['integer in 1,000 of 1,000', 'decimal in 998 of 1,000; 1 empty; 1 not'], [$detected->columns[0]['evidence'], $detected->columns[6]['evidence']]);
    }

    #[Test]
    public function what_parts_the_fields_and_whether_there_is_a_header_is_found(): void
    {
        foreach (["a,b\n1,2\n" => [',', true], "1,2\n3,4\n" => [',', false], "a\tb c\nd, e\tf\n" => ["\t", true], "x|y|z\n1|2|3\n" => ['|', true], "just one column\nof text\n" => [',', true], "name;name\n1;2\n" => [';', true], "a;b\na;c\n" => [';', false], "1,5;2\n3,5;4\n" => [';', false], '' => [',', false]] as $text => [$delimiter, $header]) {
            $dialect = Detection::in((string) $text)->dialect;
            self::assertSame([$delimiter, $header], [$dialect->delimiter, $dialect->header], json_encode($text, JSON_THROW_ON_ERROR));
        }
        self::assertSame(['column_1', 'column_2'], array_column(Detection::in("1,2\n3,4\n")->columns, 'name'));
    }

    #[Test]
    public function how_a_file_is_written_can_be_overruled_within_reason(): void
    {
        $dialect = new Dialect("\t", null, false, 'Windows-1252', '-', ',');
        self::assertEquals($dialect, Dialect::fromArray($dialect->toArray()));
        self::assertSame([['"a', null]], self::fields(self::lines("\"a\t-\n", $dialect)));
        foreach ([['delimiter' => ''], ['delimiter' => "\n"], ['delimiter' => '"'], ['quote' => '""'], ['encoding' => 'EBCDIC']] as $wrong) {
            try {
                Dialect::fromArray($wrong);
                self::fail(json_encode($wrong, JSON_THROW_ON_ERROR));
            } catch (InvalidArgumentException $e) {
                self::assertNotSame('', $e->getMessage());
            }
        }
    }

    #[Test]
    public function month_first_is_told_from_day_first_by_all_values_and_asked_for_where_none_tells(): void
    {
        $dates = static fn (array $values): array => array_values(array_intersect_key((array) Detection::in("id,on\n".implode('', array_map(static fn (int $i, string $d): string => "{$i},{$d}\n", array_keys($values), $values)))->columns[1], ['type' => 1, 'format' => 1]));
        $february = array_map(static fn (int $d): string => sprintf('02/%02d/2024', $d), range(1, 28));
        self::assertEquals([Type::parse('date'), 'MM/dd/yyyy'], $dates($february));
        self::assertEquals([Type::parse('date'), 'dd/MM/yyyy'], $dates(['31/01/2024', '01/02/2024', '02/02/2024']));
        self::assertEquals([Type::parse('text'), null], $dates(['01/02/2024', '03/04/2024']), 'nobody can tell');
        self::assertEquals([Type::parse('text'), null], $dates([...array_fill(0, 200, '13/01/2024'), '01/14/2024']), 'both stand in one file');
        self::assertStringContainsString('cannot be told apart', Detection::in("id,on\n1,01/02/2024\n2,03/04/2024\n")->columns[1]['evidence']);
    }

    #[Test]
    public function one_bad_byte_makes_no_other_encoding_of_a_text(): void
    {
        $text = 'id,name'."\n".implode("\n", array_map(static fn (int $i): string => "{$i},Zoë {$i}", range(1, 500)))."\n501,\xff\xfebad\n";
        self::assertSame('UTF-8', Detection::in($text)->dialect->encoding);
        self::assertSame('Windows-1252', Detection::in("id,name\n1,Zo\xeb\n2,Ren\xe9\n")->dialect->encoding);
        self::assertSame(['UTF-32LE', ['id', 'v']], [Detection::in("\xFF\xFE\x00\x00".mb_convert_encoding("id,v\n1,é\n", 'UTF-32LE', 'UTF-8'))->dialect->encoding, array_column(Detection::in("\xFF\xFE\x00\x00".mb_convert_encoding("id,v\n1,é\n", 'UTF-32LE', 'UTF-8'))->columns, 'name')]);
    }

    #[Test]
    public function lines_may_end_in_a_carriage_return_alone_and_a_header_may_leave_names_out(): void
    {
        $found = Detection::in("id,name\r1,Zoë\r2,Ann\r");
        self::assertSame([['id', 'name'], true], [array_column($found->columns, 'name'), $found->dialect->header]);
        $lines = static fn (string $text, int $size): array => array_map(static fn ($l): array => $l->fields, iterator_to_array((new Reader(str_split($text, $size), $found->dialect))->lines(), false));
        foreach ([1, 3, 1000] as $size) {
            self::assertSame([['1', 'Zoë'], ['2', 'Ann']], $lines("id,name\r1,Zoë\r2,Ann\r", $size));
            self::assertSame([['1', 'Zoë'], ['2', 'Ann']], $lines("id,name\r\n1,Zoë\r\n2,Ann", $size));
        }
        foreach (["id,v,\n1,2,\n3,4,\n" => ['id', 'v', 'column_3'], "id,a,b\n1,x,2\n2,y,3\n" => ['id', 'a', 'b'], ",a,b\n1,2,3\n4,5,6\n" => ['column_1', 'a', 'b'], "id,name,name\n1,x,y\n" => ['id', 'name', 'name_3']] as $text => $names) {
            self::assertSame([$names, true], [array_column(Detection::in($text)->columns, 'name'), Detection::in($text)->dialect->header], $text);
            self::assertSame($names, (new Reader([$text], Detection::in($text)->dialect))->header());
        }
    }

    #[Test]
    public function numbers_are_taken_for_the_narrowest_type_that_holds_all_of_them(): void
    {
        $type = static fn (array $values): string => (string) Guess::type($values, '.')['type'];
        self::assertSame(['decimal(8,1)', 'float64', 'float64', 'float64', 'decimal(25,0)', 'int64', 'text'], [
            $type([...array_map(strval(...), range(1, 405)), '7.5']), $type(['0.1234567890123456', '1.5']), $type(['1e5', '2']), $type(['.5', '1.25']), $type(['123456789012345678901']), $type(['1', '2']), $type(['007', '008']),
        ]);
    }
}
