<?php

declare(strict_types=1);

namespace Lighterman\Core\Tests\Carrying;

use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Carrying\ColumnPick;
use Lighterman\Core\Carrying\CommitTimes;
use Lighterman\Core\Carrying\Delivered;
use Lighterman\Core\Carrying\FeedState;
use Lighterman\Core\Carrying\Heartbeat;
use Lighterman\Core\Carrying\Lingering;
use Lighterman\Core\Carrying\Load;
use Lighterman\Core\Carrying\ReadUpTo;
use Lighterman\Core\Carrying\Rereads;
use Lighterman\Core\Carrying\SpooledChange;
use Lighterman\Core\Carrying\SpoolParts;
use Lighterman\Core\Carrying\Stage;
use Lighterman\Core\Carrying\Standing;
use Lighterman\Core\Port\LoadChunk;
use Lighterman\Core\Position\LogPlace;
use Lighterman\Core\Shape\TableName;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\TestCase;

final class CarryingTest extends TestCase
{
    /** @param  list<string>  $columns */
    private static function relation(array $columns, int $id = 1): Relation
    {
        return new Relation($id, new TableName('public', 'loads'), 'd', $columns, array_fill(0, count($columns), false), []);
    }

    #[Test]
    public function a_feed_goes_along_again_only_after_what_waits_for_it(): void
    {
        $may = [];
        foreach (Stage::cases() as $from) {
            foreach (Stage::cases() as $to) {
                if ($from !== $to && $from->may($to)) {
                    $may[] = "{$from->name} → {$to->name}";
                }
            }
        }
        self::assertSame(['Kept → CatchingUp', 'CatchingUp → Kept', 'CatchingUp → Along', 'Along → Kept'], $may);
        self::assertSame([true, true, false], array_map(static fn (Stage $s): bool => $s->spools(), Stage::cases()));
    }

    #[Test]
    public function a_feed_becomes_new_only_by_starting_over(): void
    {
        foreach (Standing::cases() as $from) {
            foreach (Standing::cases() as $to) {
                self::assertSame($to !== Standing::Fresh || $from === Standing::Fresh, $from->may($to), "{$from->value} → {$to->value}");
            }
        }
    }

    #[Test]
    public function what_keeps_a_feed_from_going_on_is_said_before_how_far_it_is_behind(): void
    {
        $told = static fn (Standing $s, bool $paused = false, bool $stream = false, ?float $behind = 5.0): string => FeedState::of($s, $paused, $stream, $behind, 60)->value;
        self::assertSame(['on time', 'late', 'new', 'loading', 'held', 'failed'], [$told(Standing::Carried), $told(Standing::Carried, behind: 61.0), $told(Standing::Fresh, behind: null), $told(Standing::Loading, behind: 99.0), $told(Standing::Held, behind: 99.0), $told(Standing::Failed)]);
        foreach (Standing::cases() as $standing) {
            self::assertSame(['paused', 'failed'], [$told($standing, paused: true, stream: true), $told($standing, stream: true)]);
        }
    }

    #[Test]
    public function columns_are_picked_by_name_and_what_is_not_there_is_unsaid(): void
    {
        $pick = new ColumnPick(['id', 'kg'], ['id', 'kg', 'left_out']);
        self::assertTrue($pick->fits(self::relation(['kg', 'left_out', 'id'])));
        self::assertFalse($pick->fits(self::relation(['id', 'kg', 'new'])));
        self::assertFalse($pick->fits(self::relation(['id', 'weight'])));
        $turned = self::relation(['kg', 'left_out', 'id']);
        self::assertSame([['1', '5'], ['1', '6']], [$pick->ofRow(new LoggedRow($turned, 'update', ['5', 'x', '1'], ['6', 'x', '1']), 3)->before, $pick->ofRow(new LoggedRow($turned, 'update', ['5', 'x', '1'], ['6', 'x', '1']), 3)->after]);
        // It is described anew under the same number.
        $pick->forget($turned);
        $lacking = self::relation(['id', 'weight']);
        self::assertSame([['1', false], true, false], [$pick->ofRow(new LoggedRow($lacking, 'insert', null, ['1', '5']), 1)->after, $pick->lacks($lacking->columns), $pick->lacks($turned->columns)]);
        $spooled = SpooledChange::fromArray(SpooledChange::row(new LoggedRow($turned, 'delete', ['5', 'x', '1'], null), 7)->toArray());
        self::assertEquals([['1', '5'], null, 7], [$pick->ofSpooled($spooled)->before, $pick->ofSpooled($spooled)->after, $pick->ofSpooled($spooled)->number]);
    }

    #[Test]
    public function a_transaction_is_cut_into_the_same_parts_every_time(): void
    {
        $parts = new SpoolParts;
        $cut = [];
        foreach ([2500, 1000, 0, 1] as $changes) {
            for ($n = 0; $n < $changes; $n++) {
                $part = $parts->add(SpooledChange::truncate($n));
                $part === null || $cut[] = [$part[0], count($part[1])];
            }
            $part = $parts->end();
            $part === null || $cut[] = [$part[0], count($part[1])];
        }
        self::assertSame([[0, 1000], [1, 1000], [2, 500], [0, 1000], [0, 1]], $cut);
    }

    #[Test]
    public function a_load_that_mends_begins_only_once_what_came_before_was_read(): void
    {
        $load = new Load;
        $load->demand();
        self::assertTrue($load->asked && $load->mends && ! $load->mayBegin());
        $load->marked(5);
        $load->marked(6);
        $load->markCame(6);
        self::assertFalse($load->mayBegin(), 'the first mark after it was asked for counts');
        $load->markCame(5);
        self::assertTrue($load->mayBegin());
        // It is asked for once more.
        $load->demand();
        self::assertFalse($load->mayBegin());
        $load->begin(Slice::keys([['1']]), true);
        self::assertSame([false, true, false], [$load->asked, $load->mends, $load->slice->isWhole()]);
        $load->ended();
        self::assertSame([true, false, true], [$load->complete, $load->mends, $load->slice->isWhole()]);
    }

    #[Test]
    public function chunks_are_sized_by_the_rows_before_them(): void
    {
        $load = new Load;
        $load->sized(new LoadChunk(array_fill(0, 500, ['x']), false, [], null, 0, 500 * 100));
        self::assertSame(4000, $load->chunkRows);
        $load->sized(new LoadChunk(array_fill(0, 10, ['x']), false, [], null, 0, 10 << 20));
        self::assertSame(3, $load->chunkRows);
        $load->sized(new LoadChunk(array_fill(0, 1, ['x']), false, [], null, 0, 64 << 20));
        self::assertSame(1, $load->chunkRows);
        $load->sized(new LoadChunk([], true, [], null, 0, 0));
        self::assertSame(8, $load->chunkRows);
    }

    #[Test]
    public function keys_are_read_again_until_there_are_too_many_or_one_is_not_known(): void
    {
        $rereads = new Rereads;
        $rereads->know([['1'], ['2']]);
        $rereads->add(['2']);
        $rereads->add(['3']);
        self::assertSame([[['3']], []], [$rereads->takeNew(), $rereads->takeNew()]);
        self::assertSame([['2']], $rereads->done([['1'], ['3']]));
        self::assertFalse($rereads->exceed());
        for ($n = 10; $n < 10_020; $n++) {
            $rereads->add([(string) $n]);
        }
        self::assertTrue($rereads->exceed());
        self::assertCount(500, $rereads->next());
        $rereads->forget();
        self::assertTrue($rereads->isEmpty() && ! $rereads->exceed());
        $rereads->lose();
        self::assertTrue($rereads->exceed() && $rereads->isLost());
    }

    #[Test]
    public function changes_are_counted_by_when_they_were_made_or_committed(): void
    {
        $times = new CommitTimes;
        $times->taken();
        $times->taken();
        $times->committed(7_000_500);
        foreach ([1_000_100, 1_000_900, 2_000_000] as $at) {
            $times->taken();
            $times->made($at);
        }
        $times->taken();
        $times->committed(9_000_000);
        $times->committed(9_500_000);
        self::assertSame(6, $times->changes());
        self::assertSame([[7_000_500, 2], [1_000_000, 2], [2_000_000, 1], [9_000_000, 1]], $times->take());
        self::assertSame(0, $times->changes());
        $times->taken();
        $times->forget();
        $times->committed(1);
        self::assertSame([], $times->take());
    }

    #[Test]
    public function a_source_may_forget_what_is_closed_and_is_told_again_now_and_then(): void
    {
        $read = new ReadUpTo(LogPlace::before(5));
        self::assertNull($read->confirm(0.0));
        self::assertEquals(LogPlace::before(5), $read->confirm(11.0));
        $read->closes(LogPlace::before(9), 77);
        self::assertEquals(LogPlace::before(9), $read->confirm(0.0));
        self::assertNull($read->confirm(0.0));
        $read->closes(null, 78);
        self::assertEquals(LogPlace::before(9), $read->closed());
        self::assertSame([78, 78], [$read->completeAt(true, 100), $read->completeAt(false, 100)]);
        $read->caughtUp = true;
        self::assertSame([100, 78], [$read->completeAt(true, 100), $read->completeAt(false, 100)]);
        self::assertNull((new ReadUpTo(null))->confirm(99.0));
        self::assertNull((new ReadUpTo(null))->completeAt(false, 100));
    }

    #[Test]
    public function a_mark_is_written_once_the_one_before_has_come(): void
    {
        $beat = new Heartbeat;
        self::assertTrue($beat->isDue(10.0));
        $beat->writes(4, 10.0);
        self::assertFalse($beat->isDue(100.0));
        $beat->comes(3);
        self::assertFalse($beat->hasCome());
        $beat->comes(4);
        self::assertTrue($beat->hasCome() && $beat->isDue(12.0) && ! $beat->isDue(11.9));
        $beat->writes(5, 12.0);
        self::assertFalse($beat->hasCome());
    }

    #[Test]
    public function the_first_transaction_after_a_pause_lands_at_once_and_later_ones_together(): void
    {
        $lingering = new Lingering;
        self::assertSame(50.0, $lingering->dueAt(50.0, 0.0));
        $lingering->landed(50.0);
        self::assertEqualsWithDelta(50.1, $lingering->dueAt(50.01, 0.0), 1e-9);
        self::assertEqualsWithDelta(53.0, $lingering->dueAt(50.01, 3.0), 1e-9);
        self::assertSame([false, true, false], [$lingering->isLong(50.0, 51.0), $lingering->isLong(50.0, 51.1), $lingering->isLong(null, 99.0)]);
    }

    #[Test]
    public function a_chunk_must_have_seen_what_was_read_before(): void
    {
        $delivered = new Delivered;
        for ($n = 1; $n <= 10_001; $n++) {
            $delivered->add($n);
        }
        self::assertTrue($delivered->wereSeenBy(new LoadChunk([], true, [], 10_002, 0, 0)));
        self::assertFalse($delivered->wereSeenBy(new LoadChunk([], true, [9_999], 10_002, 0, 0)));
        self::assertTrue($delivered->wereSeenBy(new LoadChunk([], true, [4], 10_002, 0, 0)), 'it ended long ago');
        self::assertFalse($delivered->wereSeenBy(new LoadChunk([], true, [], 10_001, 0, 0)));
        self::assertTrue($delivered->wereSeenBy(new LoadChunk([], true, [], null, 0, 0)));
    }

    #[Test]
    public function every_capture_has_its_kind(): void
    {
        foreach (Capture::cases() as $capture) {
            self::assertSame($capture, \Lighterman\Core\Capture\Kind\Kinds::of($capture)->capture());
        }
    }
}
