<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Definition;

use InvalidArgumentException;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\ChangedFile;
use Lighterman\Core\Capture\FileColumns;
use Lighterman\Core\Capture\FileReading;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\Delimited\Dialect;
use Lighterman\Core\Format\FileFormat;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Trouble\InvalidDefinition;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class FileReadingTest extends TestCase
{
    private static function reading(): FileReading
    {
        return new FileReading(FileFormat::Delimited, new Dialect(';', decimal: ','), ['on' => 'dd.MM.yyyy'], ChangedFile::Again, true, 30, true, new FileColumns('file', null));
    }

    private static function shape(string ...$more): Shape
    {
        return new Shape([new Column('id', Type::parse('int32')), new Column('kg', Type::parse('decimal(6,2)')), new Column('on', Type::parse('date')), ...array_map(static fn (string $n): Column => new Column($n, Type::parse('text')), $more)]);
    }

    #[Test]
    public function it_comes_back_as_it_was_and_what_is_not_said_is_usual(): void
    {
        self::assertEquals(self::reading(), FileReading::fromArray(self::reading()->toArray()));
        $plain = FileReading::fromArray(['format' => 'jsonl']);
        self::assertSame([ChangedFile::SetAside, false, 5, ['source_file', 'source_line']], [$plain->changed, $plain->checksum, $plain->quiet, $plain->own->names()]);
        self::assertSame(['file'], self::reading()->own->names());
    }

    #[Test]
    public function what_a_person_mends_may_be_written_as_in_the_file_or_as_it_lands(): void
    {
        foreach ([['7', '2,5', '01.11.2026'], ['7', '2.5', '2026-11-01']] as $row) {
            self::assertSame([], self::reading()->mended(self::shape(), $row));
            self::assertSame(['7', '2.5', '2026-11-01'], $row);
        }
        $row = ['many', null, '31.02.2026'];
        self::assertSame(['id is no int32', 'on is no date written dd.MM.yyyy'], self::reading()->mended(self::shape(), $row));
        self::assertSame(['many', null, '31.02.2026'], $row, 'what does not fit stays as it was typed');
    }

    #[Test]
    public function what_cannot_be_is_refused(): void
    {
        foreach ([['format' => 'delimited'], ['format' => 'jsonl', 'dates' => ['on' => 'yyyy']], ['format' => 'avro', 'quiet_seconds' => -1], ['format' => 'avro', 'quiet_seconds' => 100_000]] as $n => $as) {
            try {
                $n === 0 ? new FileReading(FileFormat::Delimited) : FileReading::fromArray($as);
                self::fail(json_encode($as, JSON_THROW_ON_ERROR));
            } catch (InvalidArgumentException $e) {
                self::assertNotSame('', $e->getMessage());
            }
        }
    }

    #[Test]
    public function a_feed_of_files_needs_to_know_how_and_where_it_says_them(): void
    {
        $feed = static fn (Shape $shape, ?FileReading $files): FeedDefinition => Definitions::of('must', new TableName('files', 'must/*.csv'), $shape, Capture::Files, [], Landing::Append, new TableName('lab', 'must'), files: $files);
        self::assertSame(['id', 'kg', 'on', 'file'], $feed(self::shape('file'), self::reading())->carried()->names());
        foreach ([[self::shape('file'), null, 'not said how'], [self::shape(), self::reading(), 'no column "file"']] as [$shape, $files, $said]) {
            try {
                $feed($shape, $files);
                self::fail($said);
            } catch (InvalidDefinition $e) {
                self::assertStringContainsString($said, $e->getMessage());
            }
        }
    }
}
