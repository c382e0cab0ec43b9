<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Record;

use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Position\LoadPosition;
use Lighterman\Core\Position\Positions;
use Lighterman\Core\Position\StartPosition;
use Lighterman\Core\Position\WatermarkPosition;
use Lighterman\Core\Record\Arrival;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Counts;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Record\Stretch;
use Lighterman\Core\Shape\Shape;
use LogicException;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class BatchTest extends TestCase
{
    #[Test]
    public function every_text_survives_encoding_and_ends_no_row(): void
    {
        mt_srand(418);
        $pieces = ["\n", "\r", "\t", '\\', '\\N', 'N', "\x08", "\f", "\v", '', 'é', '🍐', "'", '"', '\\.', 'x'];
        for ($i = 0; $i < 2000; $i++) {
            $row = [];
            for ($c = mt_rand(1, 5); $c > 0; $c--) {
                $row[] = mt_rand(0, 6) === 0 ? null : implode('', array_map(static fn (): string => $pieces[array_rand($pieces)], range(0, mt_rand(0, 6))));
            }
            $line = CopyText::line($row);
            self::assertSame(1, substr_count($line, "\n"));
            self::assertSame($row, CopyText::row($line));
        }
    }

    #[Test]
    public function a_batch_counts_and_decodes_its_rows(): void
    {
        $batch = new Batch(new Shape([]), "1\ta\\nb\n2\t\\N\n", new Stretch(new StartPosition, new WatermarkPosition('2', []), null, true));
        self::assertSame(2, $batch->rows);
        self::assertSame([['1', "a\nb"], ['2', null]], iterator_to_array($batch->decoded(), false));
        self::assertNotSame($batch->checksum(), (new Batch(new Shape([]), "1\ta\\nb\n2\tx\n", new Stretch(new StartPosition, new StartPosition, null, true)))->checksum());
    }

    #[Test]
    public function a_receipt_whose_counts_do_not_add_up_cannot_be_made(): void
    {
        $this->expectException(LogicException::class);
        $this->expectExceptionMessage('read 10, accounted for 9');
        new Receipt(1, new StartPosition, new Arrival('f', new StartPosition, 1, dropped: 1), 9, new Counts(4, 3, 1, bytes: 100, checksum: 'x'), null, 'now');
    }

    #[Test]
    public function positions_survive_json_and_are_told_apart(): void
    {
        $positions = [new StartPosition, new LoadPosition(null, null), new LoadPosition('9', ['a', 'b'], 't'), new WatermarkPosition('9'), new WatermarkPosition('9', []), new WatermarkPosition('9', ['1']), new WatermarkPosition('9', ['1'], '12', 't')];
        foreach ($positions as $i => $a) {
            self::assertTrue(Positions::fromJson($a->toJson())->equals($a));
            foreach ($positions as $j => $b) {
                self::assertSame($i === $j, $a->equals($b), "{$i} and {$j}");
            }
        }
    }
}
