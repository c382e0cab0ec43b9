<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Tests;

use Lighterman\Connectors\Triggers\ChangeTable;
use Lighterman\Connectors\Triggers\Images;
use Lighterman\Connectors\Triggers\Reading;
use Lighterman\Connectors\Triggers\StoredChange;
use Lighterman\Connectors\Triggers\TriggerReader;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Mark;
use Lighterman\Core\Position\ReadingPlace;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

/** Changes and marks in their order, whatever an earlier reader has left. */
final class TriggerReaderTest extends TestCase
{
    /**
     * A table of ten changes, of which a reader that died had written down readings up to the second, the fourth and the sixth.
     *
     * @return array{ChangeTable, array<int, Reading>}
     */
    private function table(): array
    {
        $readings = array_map(static fn (int $n): Reading => new Reading($n, (string) (2 * $n), $n * 1_000_000), range(0, 3));
        $table = $this->createStub(ChangeTable::class);
        $table->method('name')->willReturn('changes');
        $table->method('reading')->willReturnCallback(static fn (int $n): ?Reading => $readings[$n] ?? null);
        $table->method('after')->willReturnCallback(static function (Reading $r) use (&$readings): ?Reading {
            return (int) $r->seen === 10 ? null : $readings[$r->number + 1] ??= new Reading($r->number + 1, '10', 9_000_000);
        });
        $table->method('between')->willReturnCallback(static function (Reading $from, Reading $to): \Generator {
            for ($n = (int) $from->seen + 1; $n <= (int) $to->seen; $n++) {
                yield new StoredChange("u{$n}", 'main.casks', 'insert', 's', new Images(['id'], null, [(string) $n]), $n, 10);
            }
        });

        return [$table, $readings];
    }

    /** @return list<string> rows and marks as they come */
    private function told(TriggerReader $reader): array
    {
        $told = [];
        while (($message = $reader->next(0)) !== null) {
            if ($message instanceof LoggedRow) {
                $told[] = (string) $message->after[0];
            } elseif ($message instanceof Mark) {
                $told[] = $message->content;
            }
        }

        return $told;
    }

    #[Test]
    public function a_mark_comes_after_everything_that_was_there_when_it_was_asked_for(): void
    {
        [$table, $readings] = $this->table();
        $reader = new TriggerReader($table, 'cellar', ReadingPlace::before(1, 2));
        $reader->mark('beat', after: true);
        $told = [];
        for ($look = 0; $look < 6; $look++) {
            $told = [...$told, ...$this->told($reader)];
            usleep(110_000);
        }
        self::assertSame(['3', '4', '5', '6', '7', '8', '9', '10', 'beat'], $told);
        $reader->mark('again', after: true);
        usleep(110_000);
        self::assertSame(['again'], $this->told($reader));
    }

    #[Test]
    public function what_has_landed_of_a_reading_is_not_told_again(): void
    {
        [$table, $readings] = $this->table();
        $told = [];
        $reader = new TriggerReader($table, 'cellar', ReadingPlace::before(2, 1));
        for ($look = 0; $look < 4; $look++) {
            $told = [...$told, ...$this->told($reader)];
            usleep(110_000);
        }
        self::assertSame(['4', '5', '6', '7', '8', '9', '10'], $told);
    }
}
