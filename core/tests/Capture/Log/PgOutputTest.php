<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Capture\Log;

use Lighterman\Core\Capture\Log\Begin;
use Lighterman\Core\Capture\Log\BrokenLog;
use Lighterman\Core\Capture\Log\Commit;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Mark;
use Lighterman\Core\Capture\Log\PgOutput;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Capture\Log\Truncated;
use Lighterman\Core\Position\LogPlace;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

/** Bytes recorded from a PostgreSQL 15 server; recorded.txt holds one message to a line, in base64. */
final class PgOutputTest extends TestCase
{
    /** @return list<string> */
    private static function recorded(): array
    {
        return array_map(static fn (string $l): string => (string) base64_decode($l, true), file(__DIR__.'/recorded.txt', FILE_IGNORE_NEW_LINES | FILE_SKIP_EMPTY_LINES) ?: []);
    }

    /** @return list<Begin|Commit|Relation|LoggedRow|Truncated|Mark> */
    private static function decoded(): array
    {
        $decoder = new PgOutput;

        return array_values(array_filter(array_map($decoder->decode(...), self::recorded())));
    }

    /** @return list<LoggedRow> */
    private static function rows(): array
    {
        return array_values(array_filter(self::decoded(), static fn (object $m): bool => $m instanceof LoggedRow));
    }

    #[Test]
    public function transactions_come_whole_and_in_order(): void
    {
        $open = null;
        $last = LogPlace::before(0);
        foreach (self::decoded() as $message) {
            if ($message instanceof Begin) {
                self::assertNull($open, 'a transaction begins within another');
                self::assertFalse($last->covers($message->place), 'it is not among what was read before');
                self::assertSame('2026', gmdate('Y', intdiv($message->committedAt, 1_000_000)));
                $open = $message;
            } elseif ($message instanceof Commit) {
                self::assertNotNull($open);
                self::assertSame($open->committedAt, $message->committedAt);
                self::assertTrue($message->end->covers($open->place), 'what is read so far holds it');
                self::assertFalse($open->place->covers($message->end));
                [$open, $last] = [null, $message->end];
            }
        }
        self::assertNull($open);
    }

    #[Test]
    public function a_table_is_described_with_its_columns_and_identity(): void
    {
        [$loads, $bands] = array_values(array_filter(self::decoded(), static fn (object $m): bool => $m instanceof Relation));
        self::assertSame(['public.loads', 'd', ['load_id', 'ticket', 'weather', 'note'], [true, false, false, false]], [(string) $loads->table, $loads->identity, $loads->columns, $loads->inKey]);
        self::assertSame([[20, -1], [25, -1]], array_slice($loads->types, 0, 2));
        self::assertSame(['public.bands', 'f', [true, true]], [(string) $bands->table, $bands->identity, $bands->inKey]);
    }

    #[Test]
    public function inserts_updates_and_deletes_say_what_the_server_says(): void
    {
        [$insert, $other, $update, $move, $full, $delete, $gone] = self::rows();
        self::assertSame(['insert', null, ['1', "T\t1", 'calm', str_repeat('n', 3000)]], [$insert->operation, $insert->before, $insert->after]);
        self::assertSame([['7', null]], [$other->after]);
        self::assertSame(['update', null, ['1', 'T2', 'calm', false]], [$update->operation, $update->before, $update->after], 'a large value that did not change is not sent');
        self::assertSame([['1', false, false, false], ['2', 'T2', 'calm', false]], [$move->before, $move->after], 'a change of the key brings the old key, and nothing else of the old row');
        self::assertSame([['7', null], ['7', 'x']], [$full->before, $full->after], 'replica identity full brings the whole old row');
        self::assertSame(['delete', ['2', false, false, false], null], [$delete->operation, $delete->before, $delete->after]);
        self::assertSame([['7', 'x'], null], [$gone->before, $gone->after]);
    }

    #[Test]
    public function a_truncate_names_all_its_tables(): void
    {
        $truncates = array_values(array_filter(self::decoded(), static fn (object $m): bool => $m instanceof Truncated));
        self::assertCount(1, $truncates);
        self::assertSame(['public.loads', 'public.bands'], array_map(static fn (Relation $r): string => (string) $r->table, $truncates[0]->relations));
    }

    #[Test]
    public function a_message_keeps_its_prefix_and_content(): void
    {
        $mark = (new PgOutput)->decode('M'.pack('CJ', 1, LogPlace::parse('1/2A')->byte)."lighterman\0".pack('N', 4)."b\0at");
        self::assertEquals(new Mark(LogPlace::parse('1/2A'), 'lighterman', "b\0at"), $mark);
    }

    #[Test]
    public function every_message_cut_short_anywhere_is_refused(): void
    {
        foreach (self::recorded() as $n => $message) {
            if (in_array($message[0], ['Y', 'O'], true)) {
                continue;
            }
            for ($length = 1; $length < min(strlen($message), 60); $length++) {
                $decoder = new PgOutput;
                foreach (array_slice(self::recorded(), 0, $n) as $before) {
                    $before[0] === 'R' && $decoder->decode($before);
                }
                try {
                    $decoder->decode(substr($message, 0, $length));
                    self::fail("message {$n} ({$message[0]}) cut at {$length} was taken");
                } catch (BrokenLog $broken) {
                    self::assertNotSame('', $broken->getMessage());
                }
            }
        }
    }

    #[Test]
    public function an_unknown_kind_and_an_unknown_table_are_named(): void
    {
        foreach (['Z' => 'unknown kind "Z"', 'I'.pack('N', 99).'N'.pack('n', 0) => 'table number 99'] as $message => $said) {
            try {
                (new PgOutput)->decode($message);
                self::fail('it was taken');
            } catch (BrokenLog $broken) {
                self::assertStringContainsString($said, $broken->getMessage());
            }
        }
    }

    #[Test]
    public function places_in_the_log_order_as_text_as_they_do_as_numbers(): void
    {
        $places = [];
        foreach (['0/0', '0/9', '0/A', '0/FFFFFFFF', '1/0', '10/0', 'FFFFFFF/1'] as $text) {
            self::assertSame($text, LogPlace::parse($text)->text());
            array_push($places, LogPlace::parse($text)->ofChange(1), LogPlace::parse($text)->ofChange(300));
        }
        $sorted = $places;
        sort($sorted, SORT_STRING);
        self::assertSame($sorted, $places);
        $this->expectExceptionMessage('not a log position');
        LogPlace::parse('1-2');
    }
}
