<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Definition;

use InvalidArgumentException;
use Lighterman\Core\Format\Delimited\Dialect;
use Lighterman\Core\Format\FileFormat;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class FileWritingTest extends TestCase
{
    private static function shape(): Shape
    {
        return new Shape([new Column('id', Type::parse('int32'), false), new Column('kg', Type::parse('decimal(8,2)')), new Column('what', Type::parse('text'))]);
    }

    #[Test]
    public function every_format_has_what_it_is_packed_with_and_how_its_files_end(): void
    {
        $endings = [];
        foreach (FileWriting::PACKED as $format => $ways) {
            foreach ($ways as $way) {
                $writing = FileWriting::fromArray(['format' => $format, 'packed' => $way]);
                self::assertSame($writing->toArray(), FileWriting::fromArray($writing->toArray())->toArray());
                self::assertSame(FileFormat::from($format), FileFormat::of("x.{$writing->ending()}"), 'its name says what a file is');
                $endings[] = "{$format} {$way}: {$writing->ending()}";
            }
        }
        self::assertSame(['parquet zstd: parquet', 'parquet snappy: parquet', 'parquet none: parquet', 'avro deflate: avro', 'avro none: avro', 'jsonl none: jsonl', 'jsonl gzip: jsonl.gz', 'delimited none: csv', 'delimited gzip: csv.gz'], $endings);
    }

    #[Test]
    public function only_what_is_not_usual_is_written_down(): void
    {
        self::assertSame([], (new FileWriting)->toArray());
        self::assertSame(['format' => 'delimited', 'delimiter' => ';', 'seconds' => 5], (new FileWriting(FileFormat::Delimited, dialect: new Dialect(';'), seconds: 5))->toArray());
        self::assertSame(['format' => 'parquet', 'fixed_name' => 'all'], (new FileWriting(fixedName: 'all'))->toArray());
        self::assertSame(['Parquet, zstd', 'JSON Lines', 'Delimited text, gzip, parted by tab'], array_map(static fn (FileWriting $w): string => $w->word(), [new FileWriting, new FileWriting(FileFormat::JsonLines), new FileWriting(FileFormat::Delimited, 'gzip', new Dialect("\t"))]));
    }

    #[Test]
    public function rows_are_written_as_the_format_has_them(): void
    {
        $text = static function (array $as): string {
            $writer = FileWriting::fromArray($as)->writer(self::shape(), 'loads', str_repeat('s', 16));

            return $writer->begin().$writer->row(['1', '2.50', 'a;b']).$writer->row(['2', null, '']).$writer->end();
        };
        self::assertSame("id;kg;what\r\n1;2,50;\"a;b\"\r\n2;;\"\"\r\n", $text(['format' => 'delimited', 'delimiter' => ';', 'decimal' => ',']));
        self::assertSame("1,2.50,a;b\r\n2,NA,\r\n", $text(['format' => 'delimited', 'header' => false, 'null' => 'NA']));
        self::assertSame("{\"id\":1,\"kg\":2.50,\"what\":\"a;b\"}\n{\"id\":2,\"kg\":null,\"what\":\"\"}\n", $text(['format' => 'jsonl']));
        self::assertStringStartsWith("Obj\x01", $text(['format' => 'avro', 'packed' => 'none']));
    }

    #[Test]
    public function what_cannot_be_is_refused_with_the_reason(): void
    {
        foreach ([
            'cannot be packed with "deflate"' => ['packed' => 'deflate'], 'has no delimiter' => ['format' => 'avro', 'delimiter' => ';'], 'without a quote' => ['format' => 'delimited', 'quote' => null],
            'file of 999 rows' => ['rows' => 999], 'row group of 1 rows' => ['group_rows' => 1], 'delivery of 0 s' => ['seconds' => 0], 'file, as text, of 5,000' => ['megabytes' => 5000], 'cannot name a file' => ['fixed_name' => 'a/b'],
        ] as $said => $as) {
            try {
                FileWriting::fromArray($as);
                self::fail($said);
            } catch (InvalidArgumentException $e) {
                self::assertStringContainsString(str_replace(',', '', $said), str_replace(',', '', $e->getMessage()));
            }
        }
    }
}
