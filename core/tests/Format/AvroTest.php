<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Format;

use ArrayIterator;
use Lighterman\Core\Format\Avro\Calendar;
use Lighterman\Core\Format\Avro\MalformedAvro;
use Lighterman\Core\Format\Avro\Reader;
use Lighterman\Core\Format\Avro\Schema;
use Lighterman\Core\Format\Avro\Writer;
use Lighterman\Core\Format\UnfitValue;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;
use Random\Engine\Mt19937;
use Random\Randomizer;

final class AvroTest extends TestCase
{
    private const TYPES = ['id' => 'int64', 'small' => 'int16', 'flag' => 'boolean', 'f4' => 'float32', 'f8' => 'float64', 'exact' => 'decimal(38,6)', 'loose' => 'decimal', 'words' => 'text', 'raw' => 'bytes', 'd' => 'date', 't' => 'time', 'ts' => 'timestamp', 'tstz' => 'timestamptz', 'u' => 'uuid', 'j' => 'jsonb', 'odd näme' => 'text'];

    private static function shape(): Shape
    {
        return new Shape(array_map(static fn (string $name, string $type): Column => new Column($name, Type::parse($type), $name !== 'id'), array_keys(self::TYPES), self::TYPES));
    }

    /** @param  list<list<string|null>>  $rows */
    private static function file(array $rows, string $codec = 'deflate', ?Shape $shape = null): string
    {
        $writer = new Writer($shape ?? self::shape(), 'pressings', str_repeat('~', 16), $codec);

        return $writer->begin().implode('', array_map($writer->row(...), $rows)).$writer->end();
    }

    private static function reader(string $file, int $piece = 7): Reader
    {
        return new Reader(new ArrayIterator($file === '' ? [] : str_split($file, $piece)));
    }

    /** @return list<list<string|null>> */
    private static function edges(): array
    {
        return [
            ['9223372036854775807', '-32768', 't', '1.1', '0.1', '99999999999999999999999999999999.999999', '0.000000000000000000000000000001', "tab\t, 🍎\n", '\\x00ff5c0a09', '1850-03-15', '23:59:59.999999', '1850-12-31 23:59:59.123456', '2026-10-25 00:30:00.123456+00', 'a0eebc99-9c0b-4ef8-bb6d-6bb9bd380a11', '{"k": [1]}', 'x'],
            ['-9223372036854775808', '0', 'f', 'NaN', '-Infinity', '-99999999999999999999999999999999.999999', '1e40', '', '\\x', '0044-03-15 BC', '00:00:00', '20000-01-01 00:00:00', '0044-03-15 12:00:00+00 BC', null, '[]', ''],
            ['0', null, null, null, null, '-0.000001', null, str_repeat('long ', 200_000), null, '9999-12-31', null, null, '1969-12-31 23:59:59.999999+00', null, null, null],
            ['1', null, null, 'Infinity', '1.7976931348623157e+308', '0.000000', null, null, null, null, null, null, null, null, null, null],
        ];
    }

    #[Test]
    #[DataProvider('codecs')]
    public function every_value_comes_back_as_it_was(string $codec): void
    {
        $reader = self::reader(self::file(self::edges(), $codec), 1000);
        self::assertSame(self::edges(), iterator_to_array($reader->rows(), false));
        $names = $reader->shape()->names();
        self::assertSame(array_keys(self::TYPES), $names);
        self::assertSame(['int64', 'int32', 'decimal(38,6)', 'timestamptz', 'text'], array_map(static fn (string $n): string => (string) $reader->shape()->column($n)?->type, ['id', 'small', 'exact', 'tstz', 'j']));
    }

    /** @return iterable<string, array{string}> */
    public static function codecs(): iterable
    {
        yield 'as they are' => ['null'];
        yield 'deflated' => ['deflate'];
    }

    #[Test]
    #[DataProvider('codecs')]
    public function others_read_what_is_written(string $codec): void
    {
        $path = tempnam(sys_get_temp_dir(), 'avro');
        file_put_contents($path, self::file(self::edges(), $codec));
        exec('cd '.escapeshellarg(dirname(__DIR__, 3)).' && node core/tests/Format/read-avro.mjs '.escapeshellarg($path), $lines, $code);
        unlink($path);
        self::assertSame(0, $code);
        $rows = array_map(static fn (string $l): array => json_decode($l, true, 8, JSON_THROW_ON_ERROR), $lines);
        self::assertCount(4, $rows);
        self::assertSame(['9223372036854775807', '-32768', 'true', '0.1', '99999999999999999999999999999999999999'], [$rows[0]['id'], $rows[0]['small'], $rows[0]['flag'], $rows[0]['f8'], $rows[0]['exact']]);
        self::assertSame(["tab\t, 🍎\n", '00ff5c0a09', (string) Calendar::days('1850-03-15'), (string) Calendar::moment('2026-10-25 00:30:00.123456+00')], [$rows[0]['words'], $rows[0]['raw'], $rows[0]['d'], $rows[0]['tstz']]);
        self::assertSame(['-1', 1_000_000, null, '-1'], [$rows[2]['exact'], strlen($rows[2]['words']), $rows[2]['u'], $rows[2]['tstz']]);
        self::assertSame('x', $rows[0]['odd_n__me']);
    }

    #[Test]
    public function what_others_write_is_read_nested_values_as_json(): void
    {
        exec('cd '.escapeshellarg(dirname(__DIR__, 3)).' && node core/tests/Format/write-avro.mjs | base64 -w0', $lines);
        $reader = self::reader((string) base64_decode($lines[0], true), 3);
        self::assertSame(['id' => 'int32', 'kind' => 'text', 'price' => 'decimal(9,2)', 'at' => 'timestamptz', 'tags' => 'json', 'more' => 'json', 'parts' => 'json', 'either' => 'json'], array_combine($reader->shape()->names(), array_map(static fn (Column $c): string => (string) $c->type, $reader->shape()->columns)));
        self::assertSame([
            ['1', 'APPLE', '-12.34', '2026-11-24 10:00:00.5+00', '["a","b"]', '{"x":"1","y":"2"}', '{"north":"7","inner":{"north":"8","inner":null}}', 'text'],
            ['2', 'PEAR', '0.00', '1969-12-31 23:59:59.999+00', '[]', '{}', '{"north":"0","inner":null}', '5'],
        ], iterator_to_array($reader->rows(), false));
    }

    #[Test]
    public function random_rows_come_back_however_the_file_is_cut(): void
    {
        $seed = random_int(1, PHP_INT_MAX);
        $random = new Randomizer(new Mt19937($seed));
        $shape = new Shape([new Column('n', Type::parse('int64')), new Column('e', Type::parse('decimal(20,4)')), new Column('d', Type::parse('date')), new Column('s', Type::parse('text'))]);
        $rows = [];
        for ($i = 0; $i < 3000; $i++) {
            $rows[] = [
                (string) ($random->getInt(PHP_INT_MIN, PHP_INT_MAX) >> $random->getInt(0, 62)),
                $random->getInt(0, 9) === 0 ? null : sprintf('%d.%04d', $random->getInt(-999_999_999, 999_999_999), $random->getInt(0, 9999)),
                Calendar::date($random->getInt(-800_000, 3_000_000)),
                $random->getInt(0, 9) === 0 ? null : $random->getBytes($random->getInt(1, 30)),
            ];
        }
        $file = self::file($rows, 'deflate', $shape);
        self::assertSame(array_map(json_encode(...), array_map(static fn (array $r): array => array_map(static fn (?string $v): ?string => $v === null ? null : bin2hex($v), $r), $rows)),
            array_map(json_encode(...), array_map(static fn (array $r): array => array_map(static fn (?string $v): ?string => $v === null ? null : bin2hex($v), $r), iterator_to_array(self::reader($file, $random->getInt(1, 5000))->rows(), false))), "seed {$seed}");
    }

    #[Test]
    public function a_file_that_is_broken_is_said_to_be_wherever_it_is_cut(): void
    {
        $file = self::file(array_slice(self::edges(), 0, 2));
        for ($length = 0; $length < strlen($file); $length += 3) {
            try {
                $rows = iterator_to_array(self::reader(substr($file, 0, $length))->rows(), false);
                self::assertSame([], $rows, "cut at {$length}");
            } catch (MalformedAvro $e) {
                self::assertStringContainsString('cannot be read as an Avro file', $e->getMessage());
            }
        }
        foreach (['Obj1', "PAR1\x00\x00", str_replace('deflate', 'snappy', $file), substr_replace($file, "\xff\xff\xff", -20, 3)] as $broken) {
            try {
                iterator_to_array(self::reader($broken)->rows(), false);
                self::fail('It was read.');
            } catch (MalformedAvro $e) {
                self::assertNotSame('', $e->getMessage());
            }
        }
    }

    /** A number as Avro writes it. */
    private static function long(int $n): string
    {
        $n = ($n << 1) ^ ($n >> 63);
        $bytes = '';
        do {
            $more = ($n >> 7) & 0x01FFFFFFFFFFFFFF;
            $bytes .= chr(($n & 0x7F) | ($more !== 0 ? 0x80 : 0));
            $n = $more;
        } while ($n !== 0);

        return $bytes;
    }

    /** So many megabytes of nothing, deflated. */
    private static function manyZeros(int $mb): string
    {
        $packing = deflate_init(ZLIB_ENCODING_RAW, ['level' => 9]) ?: throw new \LogicException('zlib is missing.');
        $bytes = '';
        for ($n = 0; $n < $mb; $n++) {
            $bytes .= deflate_add($packing, str_repeat("\0", 1 << 20), ZLIB_NO_FLUSH);
        }

        return $bytes.deflate_add($packing, '', ZLIB_FINISH);
    }

    private static function claimed(string $schema, int $rows, string $data, string $codec = 'null', ?int $length = null): string
    {
        $text = static fn (string $t): string => self::long(strlen($t)).$t;
        $sync = str_repeat('~', 16);

        return "Obj\x01".self::long(2).$text('avro.schema').$text($schema).$text('avro.codec').$text($codec).self::long(0).$sync.self::long($rows).self::long($length ?? strlen($data)).$data.$sync;
    }

    #[Test]
    public function what_a_file_claims_for_nothing_is_not_believed(): void
    {
        $nulls = '{"type":"record","name":"r","fields":[{"name":"a","type":{"type":"array","items":"null"}}]}';
        $maps = '{"type":"record","name":"r","fields":[{"name":"a","type":{"type":"map","values":"null"}}]}';
        $nothing = '{"type":"record","name":"r","fields":[{"name":"a","type":"null"}]}';
        self::assertSame([[null]], iterator_to_array(self::reader(self::claimed($nothing, 1, ''))->rows(), false));
        self::assertSame([['[null,null]']], iterator_to_array(self::reader(self::claimed($nulls, 1, self::long(2).self::long(0)))->rows(), false));
        foreach ([
            'more than 1,000,000 elements' => self::claimed($nulls, 1, self::long(1 << 40).self::long(0)),
            'has more than 1,000,000' => self::claimed($nulls, 1, str_repeat(self::long(900_000), 2).self::long(0)),
            'list or map has more' => self::claimed($nulls, 1, self::long(-(1 << 40)).self::long(8).self::long(0)),
            'map has more' => self::claimed($maps, 1, self::long(PHP_INT_MIN).self::long(8).self::long(0)),
            'claims 1099511627776 rows' => self::claimed($nothing, 1 << 40, ''),
            'a block claims 1 rows in 1099511627776 bytes' => self::claimed($nothing, 1, '', 'null', 1 << 40),
            'cannot be inflated' => self::claimed($nothing, 1, self::manyZeros(700), 'deflate'),
            'no fields' => self::claimed('{"type":"record","name":"r","fields":[]}', 1, ''),
            'has no fields, or one without' => self::claimed('{"type":"record","name":"r"}', 1, ''),
            'without a name or a type' => self::claimed('{"type":"record","name":"r","fields":[{"name":"a"}]}', 1, ''),
        ] as $said => $file) {
            memory_reset_peak_usage();
            $before = memory_get_usage();
            try {
                iterator_to_array(self::reader($file, 1 << 20)->rows(), false);
                self::fail("it was read, though {$said}");
            } catch (MalformedAvro $e) {
                self::assertStringContainsString($said, $e->getMessage());
            }
            self::assertLessThan(200 << 20, memory_get_peak_usage() - $before, $said);
        }
    }

    #[Test]
    public function what_the_format_cannot_hold_is_said(): void
    {
        foreach ([['exact', 'NaN'], ['exact', '1234567890123456789012345678901234567890'], ['exact', '0.0000001'], ['d', 'infinity'], ['tstz', '-infinity'], ['id', null]] as [$column, $value]) {
            $row = array_fill(0, count(self::TYPES), null);
            $row[0] = '1';
            $row[(int) array_search($column, array_keys(self::TYPES), true)] = $value;
            try {
                self::file([$row]);
                self::fail("{$column}: {$value}");
            } catch (UnfitValue $e) {
                self::assertStringContainsString((string) ($value === null ? 'null' : mb_substr($value, 0, 20)), $e->getMessage());
            }
        }
        self::assertSame(['_1st', 'a_b', 'a_b_2'], array_column(Schema::of(new Shape([new Column('1st', Type::parse('text')), new Column('a b', Type::parse('text')), new Column('a-b', Type::parse('text'))]), 'x')['fields'], 'name'));
    }

    #[Test]
    public function days_and_moments_are_those_of_the_calendar(): void
    {
        self::assertSame([0, -1, 59, 19_782, -719_162, -719_528], array_map(Calendar::days(...), ['1970-01-01', '1969-12-31', '1970-03-01', '2024-02-29', '0001-01-01', '0001-01-01 BC']));
        foreach (range(-1_000_000, 3_000_000, 997) as $days) {
            self::assertSame($days, Calendar::days(Calendar::date($days)));
        }
        self::assertSame(Calendar::moment('2026-01-01 00:00:00+00'), Calendar::moment('2026-01-01 05:30:00+05:30'));
        self::assertSame('1969-12-31 23:59:59.999999', Calendar::momentText(-1, ''));
    }
}
