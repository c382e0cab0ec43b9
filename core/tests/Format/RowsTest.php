<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Format;

use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Format\Delimited\Dialect;
use Lighterman\Core\Format\Delimited\Writer;
use Lighterman\Core\Format\Rows\BadLine;
use Lighterman\Core\Format\Rows\DelimitedRows;
use Lighterman\Core\Format\Rows\FileRows;
use Lighterman\Core\Format\Rows\Frame;
use Lighterman\Core\Format\Rows\JsonRows;
use Lighterman\Core\Format\Rows\OtherShape;
use Lighterman\Core\Format\Rows\ValueForm;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;
use Random\Engine\Mt19937;
use Random\Randomizer;

/** What files hold becomes rows of a feed, by whichever way is quickest, and always the same. */
final class RowsTest extends TestCase
{
    /** @param  array<string, string>  $types */
    private static function shape(array $types): Shape
    {
        return new Shape(array_map(static fn (string $n, string $t): Column => new Column($n, Type::parse($t)), array_keys($types), $types));
    }

    /**
     * @param  array<string, string>  $types
     * @param  list<string|null>  $constant
     */
    private static function frame(array $types, bool $fit = false, array $constant = [], bool $numbered = false): Frame
    {
        return new Frame(self::shape($types), array_keys($types), $fit, $constant, $numbered);
    }

    /** @return array{list<list<string|null>>, list<BadLine>} */
    private static function read(FileRows $rows): array
    {
        $encoded = '';
        $bad = [];
        foreach ($rows->blocks() as $block) {
            $encoded .= $block->encoded;
            $bad = [...$bad, ...$block->bad];
        }

        return [$encoded === '' ? [] : array_map(CopyText::row(...), explode("\n", substr($encoded, 0, -1))), $bad];
    }

    #[Test]
    public function the_quick_way_and_the_careful_way_give_the_same(): void
    {
        $seed = random_int(1, PHP_INT_MAX);
        $random = new Randomizer(new Mt19937($seed));
        $types = ['id' => 'int64', 'kg' => 'decimal(9,2)', 'on' => 'date', 'at' => 'timestamptz', 'ok' => 'boolean', 'what' => 'text', 'f' => 'float64'];
        foreach ([new Dialect(';', decimal: ','), new Dialect(','), new Dialect("\t", null), new Dialect('|', "'", null: 'none'), new Dialect(';', header: false, decimal: ',')] as $n => $dialect) {
            $dates = $n % 2 === 0 ? ['on' => 'dd.MM.yyyy'] : [];
            $words = ['cloudy', 'très trouble', 'a,b', 'a;b', 'say "so"', "it's", 'none', ' padded ', "two\nlines", '\\N', '\\', "tab\tin it", '🍎'];
            $rows = [];
            for ($i = 1; $i <= 600; $i++) {
                $odd = $random->getInt(0, 40);
                $day = sprintf('%02d', $random->getInt(1, 31));
                $rows[] = [
                    $odd === 1 ? 'x' : (string) $random->getInt(-9_000_000_000, 9_000_000_000), $odd === 2 ? '1234567890,1' : $random->getInt(-99999, 99999).$dialect->decimal.$random->getInt(0, 99),
                    $dates === [] ? "2026-11-{$day}" : "{$day}.11.2026", '2026-11-01 10:00:0'.$random->getInt(0, 9).'.5+01:00', ['t', 'f', 'true', 'FALSE', null][$random->getInt(0, 4)],
                    $random->getInt(0, 3) === 0 ? null : $words[$random->getInt(0, count($words) - 1)], $odd === 3 ? 'NaN' : '1'.$dialect->decimal.'5',
                ];
            }
            $writer = new Writer($dialect, self::shape(array_fill_keys(array_keys($types), 'text')));
            $lines = array_map($writer->row(...), $rows);
            if ($dialect->quote === null) {
                $lines = array_values(array_filter($lines, static fn (string $l): bool => substr_count($l, "\t") === 6 && substr_count($l, "\n") === 1));
            }
            $head = $writer->begin();
            $whole = self::read(new DelimitedRows([$head.implode('', $lines)], $dialect, self::frame($types, numbered: true), $dates));
            $cut = self::read(new DelimitedRows(str_split($head.implode('', $lines), $random->getInt(1, 400)), $dialect, self::frame($types, numbered: true), $dates));
            self::assertEquals($whole, $cut, "seed {$seed}");
            // Line by line nothing is turned as a stretch with others.
            $each = [[], []];
            $number = $dialect->header ? 1 : 0;
            foreach ($lines as $line) {
                [$good, $bad] = self::read(new DelimitedRows([$head.$line], $dialect, self::frame($types), $dates));
                $each[0] = [...$each[0], ...array_map(static fn (array $r): array => [...$r, (string) ($number + 1)], $good)];
                $each[1] = [...$each[1], ...array_map(static fn (BadLine $b): array => [$number + 1, $b->fault], $bad)];
                $number += substr_count($line, "\n");
            }
            self::assertSame($each[0], $whole[0], "seed {$seed}");
            self::assertSame($each[1], array_map(static fn (BadLine $b): array => [$b->number, $b->fault], $whole[1]), "seed {$seed}");
            self::assertSame(count($lines), count($whole[0]) + count($whole[1]), "every line is a row or told (seed {$seed})");
        }
    }

    #[Test]
    public function columns_are_found_by_their_names_and_what_the_feed_adds_stands_behind(): void
    {
        $frame = self::frame(['b' => 'text', 'a' => 'int32'], constant: ['must/x.csv', null], numbered: true);
        self::assertSame([[['x', '1', 'must/x.csv', null, '2'], ["tab\there", '2', 'must/x.csv', null, '3']], []], self::read(new DelimitedRows(["a,b\n1,x\n2,\"tab\there\"\n"], new Dialect, $frame)));
        [$rows, $bad] = self::read(new DelimitedRows(["a,b\nno,x\n"], new Dialect, $frame));
        self::assertSame([[], ['x', 'no', 'must/x.csv', null, '2'], 'a is no int32'], [$rows, $bad[0]->row, $bad[0]->fault]);
    }

    #[Test]
    public function a_file_of_another_shape_is_refused_or_made_to_fit(): void
    {
        $text = ["a,c\n1,9\n"];
        try {
            self::read(new DelimitedRows($text, new Dialect, self::frame(['a' => 'int32', 'b' => 'text'])));
            self::fail('It was read.');
        } catch (OtherShape $e) {
            self::assertSame('it is of another shape: it lacks "b" and it also has "c"', $e->getMessage());
        }
        self::assertSame([[['1', null]], []], self::read(new DelimitedRows($text, new Dialect, self::frame(['a' => 'int32', 'b' => 'text'], fit: true))));
        self::assertSame([[], []], self::read(new DelimitedRows([], new Dialect, self::frame(['a' => 'int32']))));
    }

    #[Test]
    public function json_lines_lack_nothing_and_have_nothing_besides_unless_they_are_made_to_fit(): void
    {
        $types = ['n' => 'decimal', 'j' => 'jsonb', 'ok' => 'boolean'];
        $lines = "{\"n\": 12345678901234567890.5, \"j\": {\"a\": [1]}, \"ok\": true}\n\n{\"ok\": null}\n[1]\n{\"n\": \"many\"}\n{\"n\": 1, \"more\": 2}\n{\"n\": 1";
        [$rows, $bad] = self::read(new JsonRows([$lines], self::frame($types, numbered: true)));
        self::assertSame([['12345678901234567890.5', '{"a":[1]}', 't', '1'], [null, null, null, '3']], $rows);
        self::assertSame([[4, 'malformed'], [5, 'wrong_type'], [6, 'other_columns'], [7, 'malformed']], array_map(static fn (BadLine $b): array => [$b->number, $b->reason], $bad));
        self::assertSame(['1', null, null, '6'], self::read(new JsonRows([$lines], self::frame($types, fit: true, numbered: true)))[0][2]);
    }

    #[Test]
    public function values_are_taken_as_they_are_written_and_none_that_does_not_fit(): void
    {
        $cases = [
            ['int16', '.', null, ['32767' => '32767', '-32768' => '-32768', '32768' => false, '1.0' => false, ' 7 ' => '7', '' => null, '+5' => '5', '007' => '7']],
            ['int64', '.', null, ['9223372036854775807' => '9223372036854775807', '9223372036854775808' => false]],
            ['decimal(5,2)', ',', null, ['123,45' => '123.45', '1.234,5' => false, '1234,5' => false, '1,999' => false, '-0,5' => '-0.5']],
            ['date', '.', 'dd.MM.yyyy', ['29.02.2024' => '2024-02-29', '29.02.2026' => false, '1.2.2026' => '2026-02-01', '31.04.2026' => false]],
            ['date', '.', 'MM/dd/yyyy', ['02/29/2024' => '2024-02-29', '13/01/2026' => false]],
            ['date', '.', 'yyyyMMdd', ['20261103' => '2026-11-03', '20261303' => false]],
            ['boolean', '.', null, ['TRUE' => 't', '0' => 'f', 'yes' => false]],
            ['uuid', '.', null, ['a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11' => 'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11', 'a0' => false]],
            ['varchar(3)', '.', null, ['äöü' => 'äöü', 'four' => false, '' => '']],
            ['text', '.', null, ["zero\0byte" => false, '' => '']],
        ];
        foreach ($cases as [$type, $decimal, $date, $values]) {
            foreach ($values as $raw => $value) {
                self::assertSame($value, (new ValueForm(Type::parse($type), $decimal, $date))->value((string) $raw), "{$raw} as {$type}");
            }
        }
    }
}
