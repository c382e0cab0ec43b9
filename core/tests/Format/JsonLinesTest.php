<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Format;

use Lighterman\Core\Format\JsonLines\Detection;
use Lighterman\Core\Format\JsonLines\Reader;
use Lighterman\Core\Format\JsonLines\Writer;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class JsonLinesTest extends TestCase
{
    /** @return array<int, array<string, string|null>|string> */
    private static function read(string $text, int $piece = 1000): array
    {
        return iterator_to_array((new Reader(str_split($text, $piece)))->lines());
    }

    #[Test]
    public function values_come_back_to_the_last_digit(): void
    {
        $types = ['id' => 'int64', 'exact' => 'decimal(38,6)', 'f' => 'float64', 'flag' => 'boolean', 'words "so"' => 'text', 'j' => 'jsonb', 'at' => 'timestamptz'];
        $shape = new Shape(array_map(static fn (string $n, string $t): Column => new Column($n, Type::parse($t)), array_keys($types), $types));
        $rows = [
            ['9223372036854775807', '99999999999999999999999999999999.999999', '1.7976931348623157e+308', 't', "a \"b\"\n🍎\u{2028}", '{"k":[1,{"v":null}]}', '2026-11-24 10:00:00+00'],
            ['-1', '-0.000001', 'NaN', 'f', '', '[]', null],
            ['0', '1.10', '-Infinity', null, null, null, '0044-03-15 12:00:00+00 BC'],
        ];
        $writer = new Writer($shape);
        $text = implode('', array_map($writer->row(...), $rows));
        self::assertSame(3, substr_count($text, "\n"));
        // What JSON calls true is told so, whatever it becomes.
        $read = array_map(static fn (array $row): array => array_replace($row, [3 => ['t' => 'true', 'f' => 'false'][$row[3]] ?? null]), $rows);
        foreach ([1, 7, 10_000] as $piece) {
            self::assertSame($read, array_map(array_values(...), array_values(self::read($text, $piece))));
        }
        self::assertSame(array_keys($types), array_keys((array) self::read($text)[1]));
        foreach (explode("\n", trim($text)) as $line) {
            self::assertIsArray(json_decode($line, true, 8, JSON_THROW_ON_ERROR));
        }
    }

    #[Test]
    public function lines_that_are_no_objects_are_told_with_their_numbers(): void
    {
        $told = self::read("\u{FEFF}{\"a\": 1}\n\n[1]\n{\"a\": }\n{\"a\": \"x.y\", \"b\": {\"c\": 1.50}, \"d\": 123456789012345678901234567890}\r\n".'{"a": '.str_repeat('[', 200).str_repeat(']', 200).'}', 3);
        self::assertSame([1, 3, 4, 5, 6], array_keys($told));
        self::assertSame([['a' => '1'], 'it is no object', 'it is not JSON (syntax error)'], array_slice($told, 0, 3));
        self::assertSame(['a' => 'x.y', 'b' => '{"c":1.5}', 'd' => '123456789012345678901234567890'], $told[5]);
        self::assertSame('it is not JSON (maximum stack depth exceeded)', $told[6]);
        self::assertSame([], self::read(''."\n"));
    }

    #[Test]
    public function fractions_keep_the_digits_they_were_written_with(): void
    {
        self::assertSame(['price' => '1.10', 'tiny' => '1E-7', 'of "x: 5.0"' => '2.50', 'nested' => '[1.25,"3.10"]'], self::read('{"price": 1.10, "tiny": 1E-7, "of \"x: 5.0\"": 2.50, "nested": [1.25, "3.10"]}')[1]);
    }

    #[Test]
    public function an_array_of_objects_is_read_as_its_lines_are(): void
    {
        $objects = [['a' => '1', 'b' => 'x], {"'], ['a' => null, 'b' => '{"c":[1,{"d":"]"}]}'], ['a' => 'é\\"', 'b' => 'true']];
        $text = "\u{FEFF} [ {\"a\": 1, \"b\": \"x], {\\\"\"},\n {\"a\": null, \"b\": {\"c\": [1, {\"d\": \"]\"}]}}, {\"a\": \"é\\\\\\\"\", \"b\": true}\n]\n";
        foreach ([1, 2, 5, 1000] as $size) {
            self::assertSame($objects, array_values(self::read($text, $size)));
        }
        self::assertSame([], array_values(self::read('[]')));
        self::assertStringContainsString('not JSON', (string) array_values(self::read('[{"a": 1}, {"a": }]'))[1]);
        self::assertSame('it is no object', array_values(self::read('[{"a": 1}, 7]'))[1]);
    }

    #[Test]
    public function a_name_that_is_empty_is_given_one(): void
    {
        self::assertSame([['unnamed' => '1.50', 'a' => 'x', '7' => 'y'], 'it has an empty name beside unnamed, as which it would land'], array_values(self::read("{\"\": 1.50, \"a\": \"x\", \"7\": \"y\"}\n{\"\": 1, \"unnamed\": 2}\n")));
        self::assertSame(['unnamed', 'a'], array_column(Detection::in("{\"\": 1, \"a\": 2}\n")->columns, 'name'));
    }
}
