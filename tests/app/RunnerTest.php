<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\FeedBook;
use App\Models\Feed;
use App\Models\Run;
use App\Pages\PromiseRecord;
use App\Runtime\Common\Receipts;
use App\Runtime\Common\Systems;
use App\Runtime\Minder;
use App\Runtime\Query\FeedRunner;
use App\Runtime\Work\Leases;
use App\Runtime\Work\Workers;
use App\Support\HouseTime;
use Illuminate\Database\Events\ConnectionEstablished;
use Illuminate\Support\Facades\Cache;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Event;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Carrying\AskedLoad;
use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Record\Receipt as Landed;
use Lighterman\Core\Shape\TableName;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

final class RunnerTest extends AppCase
{
    #[Test]
    public function a_run_is_written_down_and_its_counts_add_up(): void
    {
        $feed = $this->carry($this->feed());
        $run = Run::findOrFail($feed->last_run_id);
        self::assertSame(['load', 'done', 500, 500, true], [$run->kind, $run->state, $run->read, $run->inserted, $run->addsUp()]);
        self::assertSame('on time', $feed->state());
        self::assertSame(1, $feed->sequence);
        self::assertSame(500, (int) DB::table('carried_hours')->where('feed_id', $feed->id)->sum('rows'));
        self::assertSame('500', $this->house->value('SELECT count(*) FROM copy.loads'));
    }

    #[Test]
    public function rows_without_a_watermark_are_counted_and_said(): void
    {
        $this->gate->run('ALTER TABLE loads ALTER COLUMN updated_at DROP NOT NULL; UPDATE loads SET updated_at = NULL WHERE id <= 12');
        $feed = $this->carry($this->feed());
        self::assertSame('488', $this->house->value('SELECT count(*) FROM copy.loads'));
        $said = Run::with('lines')->findOrFail($feed->last_run_id)->lines->pluck('said')->all();
        self::assertContains('12 rows have no updated_at and are never carried.', $said);
    }

    #[Test]
    public function runs_that_find_nothing_fold_into_one_and_touch_no_target(): void
    {
        $feed = $this->carry($this->feed());
        $ledger = $this->house->value('SELECT xmin FROM lighterman.position');
        for ($i = 0; $i < 4; $i++) {
            $feed = $this->carry($feed);
        }
        $empty = Run::findOrFail($feed->last_run_id);
        self::assertSame([4, 0], [$empty->empty_runs, $empty->read]);
        self::assertSame(2, $feed->runs()->count());
        self::assertSame($ledger, $this->house->value('SELECT xmin FROM lighterman.position'));
    }

    #[Test]
    public function the_target_forgets_receipts_that_are_old_now_and_then(): void
    {
        $feed = $this->carry($this->feed());
        $this->house->run("UPDATE lighterman.receipt SET landed_at = now() - interval '91 days'; UPDATE lighterman.position SET sequence = 398");
        $feed->update(['sequence' => 398]);
        $leases = new Leases('one');
        $runner = new FeedRunner(app(Systems::class), $leases, static fn (): bool => false);
        foreach ([['1', '399'], ['399', '400']] as $kept) {
            $this->gate->run('UPDATE loads SET kg = kg + 1, updated_at = clock_timestamp() WHERE id = 1; SELECT pg_sleep(0.7)');
            $lease = $leases->feed($feed->id);
            self::assertNotNull($lease);
            $runner->run($lease);
            self::assertSame($kept, array_column($this->house->rows('SELECT sequence FROM lighterman.receipt ORDER BY sequence'), 'sequence'));
        }
    }

    #[Test]
    public function a_receipt_that_was_committed_but_never_copied_is_caught_up_with(): void
    {
        $feed = $this->carry($this->feed());
        $position = $feed->position;
        // As if the worker had died between the target's commit and our copy.
        Receipts::takeBack($feed->id, 0);
        $feed->refresh()->update(['position' => null]);
        $this->gate->run('UPDATE loads SET kg = 0, updated_at = now() WHERE id <= 3');
        usleep(600_000);
        $feed = $this->carry($feed);

        self::assertSame([1, 2], $feed->receipts()->orderBy('sequence')->pluck('sequence')->all());
        self::assertNotEquals($position, $feed->position);
        self::assertSame('3', $this->house->value('SELECT count(*) FROM copy.loads WHERE kg = 0'));
        self::assertSame('500', $this->house->value('SELECT count(*) FROM copy.loads'));
    }

    #[Test]
    public function a_table_of_another_shape_is_held_and_goes_on_once_it_is_back(): void
    {
        $feed = $this->carry($this->feed());
        $this->gate->run('ALTER TABLE loads ADD COLUMN moisture int; ALTER TABLE loads ALTER COLUMN kg TYPE bigint');
        $feed = $this->carry($feed);
        self::assertSame('held', $feed->state());
        self::assertStringContainsString('Column moisture (int32) is new. Column kg was int32 and is now int64.', $feed->trouble->message);
        self::assertNull($feed->due_at);
        $this->carry($feed);
        self::assertSame('held', $feed->refresh()->state(), 'a worker does not run it');

        $this->gate->run('ALTER TABLE loads DROP COLUMN moisture; ALTER TABLE loads ALTER COLUMN kg TYPE int; UPDATE loads SET kg = 7, updated_at = now() WHERE id = 1');
        usleep(600_000);
        FeedBook::resume([$feed]);
        $feed = $this->carry($feed->refresh());
        self::assertSame('on time', $feed->state());
        self::assertSame('7', $this->house->value('SELECT kg FROM copy.loads WHERE id = 1'));
    }

    #[Test]
    public function a_vanished_table_stops_the_feed_with_its_name(): void
    {
        $feed = $this->carry($this->feed());
        $this->gate->run('DROP TABLE loads');
        $feed = $this->carry($feed);
        self::assertSame('failed', $feed->state());
        self::assertStringContainsString('gate has no table public.loads', $feed->trouble->message);
        self::assertNull($feed->due_at, 'it will not pass by itself');
    }

    #[Test]
    public function what_may_pass_is_tried_again_later_and_later(): void
    {
        $feed = $this->feed();
        $this->source->update(['settings' => ['port' => 1] + $this->source->settings]);
        $waits = [];
        for ($i = 1; $i <= 5; $i++) {
            $feed = $this->carry($feed);
            self::assertSame(['failed', $i], [$feed->state(), $feed->failures]);
            $waits[] = now()->diffInSeconds($feed->due_at);
        }
        self::assertGreaterThan($waits[0] * 3, $waits[4]);
        self::assertStringContainsString('nothing answers on port 1', $feed->trouble->message);
        $this->source->update(['settings' => ['port' => (int) getenv('LIGHTERMAN_TEST_PG_PORT')] + $this->source->settings]);
        self::assertSame(['on time', 0], [$this->carry($feed)->state(), $feed->refresh()->failures]);
    }

    /** A worker on a machine whose clock is an hour ahead would leave its feeds alone for that hour. */
    #[Test]
    public function what_is_due_is_reckoned_by_the_database_s_clock(): void
    {
        SteadyClock::set(SteadyClock::micros() + 3_600_000_000);
        self::assertGreaterThan(3500.0, now()->format('U.u') - microtime(true));
        Event::dispatch(new ConnectionEstablished(DB::connection()));
        self::assertEqualsWithDelta((float) DB::scalar('SELECT extract(epoch FROM clock_timestamp())'), (float) now()->format('U.u'), 1.0, 'whoever connects takes its time from there');
        $feed = $this->carry($this->feed());
        self::assertSame('t', DB::scalar("SELECT (due_at < clock_timestamp() + interval '10 minutes')::text::char FROM feeds WHERE id = ?", [$feed->id]));
    }

    #[Test]
    public function one_worker_at_a_time_holds_a_feed_and_the_token_grows(): void
    {
        $feed = $this->feed();
        DB::update("UPDATE feeds SET due_at = now() - interval '1 second'");
        $first = (new Leases('one'))->next();
        self::assertSame($feed->id, $first?->of);
        self::assertNull((new Leases('two'))->next());
        DB::update("UPDATE leases SET expires_at = now() - interval '1 second'");
        $second = (new Leases('two'))->next();
        self::assertSame($first->token + 1, $second?->token);
        $this->expectException(LeaseLost::class);
        (new Leases('one'))->renew($first);
    }

    #[Test]
    public function starting_over_removes_what_was_landed_and_loads_again(): void
    {
        $feed = $this->carry($this->feed());
        FeedBook::startOver($feed);
        $feed = $this->carry($feed->refresh());
        self::assertSame(['paused', 0, null], [$feed->state(), $feed->sequence, $feed->position]);
        self::assertNull($this->house->value("SELECT to_regclass('copy.loads')"));
        FeedBook::resume([$feed]);
        $this->carry($feed->refresh());
        self::assertSame('500', $this->house->value('SELECT count(*) FROM copy.loads'));
    }

    #[Test]
    public function what_is_due_is_taken_by_promise_at_risk(): void
    {
        [$far, $near, $new] = array_map(fn (string $name): Feed => $this->feed(['name' => $name, 'landed' => new TableName('copy', $name)]), ['far', 'near', 'new']);
        DB::update("UPDATE feeds SET due_at = now() - interval '9 minutes', complete_up_to = now() - interval '10 minutes', promise_seconds = 3600, position = '{\"phase\": \"after\"}' WHERE id = ?", [$far->id]);
        DB::update("UPDATE feeds SET due_at = now(), complete_up_to = now() - interval '1 minute', promise_seconds = 90, position = '{\"phase\": \"after\"}' WHERE id = ?", [$near->id]);
        DB::update("UPDATE feeds SET due_at = now() - interval '2 minutes', promise_seconds = 300 WHERE id = ?", [$new->id]);
        $leases = new Leases('test');
        self::assertSame([$near->id, $new->id, $far->id, null], array_map(static fn (): ?int => $leases->next()?->of, range(1, 4)));
    }

    #[Test]
    public function long_loads_take_no_more_than_their_share_of_the_workers(): void
    {
        $feeds = array_map(fn (int $n): Feed => $this->feed(['name' => "loads{$n}", 'landed' => new TableName('copy', "loads{$n}")]), range(1, 5));
        foreach ($feeds as $n => $feed) {
            DB::update('UPDATE feeds SET due_at = now() - make_interval(secs => ?) WHERE id = ?', [60 - $n, $feed->id]);
        }
        DB::update("UPDATE feeds SET position = '{\"phase\": \"after\"}', complete_up_to = now() WHERE id = ?", [$feeds[4]->id]);
        foreach (['a', 'b', 'c', 'd'] as $worker) {
            DB::insert('INSERT INTO workers (name, seen_at) VALUES (?, now())', [$worker]);
        }
        DB::insert("INSERT INTO workers (name, seen_at) VALUES ('gone', now() - interval '1 hour')");
        $taken = array_map(static fn (string $worker): ?int => (new Leases($worker))->next()?->of, ['a', 'b', 'c', 'd']);
        self::assertSame([$feeds[0]->id, $feeds[1]->id, $feeds[4]->id, null], $taken);
        DB::delete('DELETE FROM workers');
        DB::delete('DELETE FROM leases');
        self::assertSame([$feeds[0]->id, $feeds[4]->id], [(new Leases('a'))->next()?->of, (new Leases('b'))->next()?->of], 'one may always load');
    }

    #[Test]
    public function what_a_worker_holds_is_renewed_while_it_is_at_work_and_only_then(): void
    {
        $feed = $this->feed();
        $lease = (new Leases('one'))->feed($feed->id);
        self::assertNotNull($lease);
        $left = static fn (): float => (float) DB::selectOne('SELECT extract(epoch FROM expires_at - clock_timestamp()) AS s FROM leases')->s;
        DB::update("UPDATE leases SET expires_at = clock_timestamp() + interval '1 second'");
        Leases::renewAll(['another']);
        self::assertLessThan(1.1, $left());
        Leases::renewAll(['one']);
        self::assertGreaterThan(5, $left());
        (new Leases('one'))->release($lease);
        Leases::renewAll(['one']);
        self::assertLessThan(0, $left(), 'what was given back stays free');
        $child = proc_open(['sleep', '60'], [], $pipes);
        self::assertIsResource($child);
        $pid = proc_get_status($child)['pid'];
        self::assertTrue(Workers::works($pid));
        self::assertMatchesRegularExpression("/:{$pid}-[0-9a-z]+\\z/", Workers::name($pid));
        self::assertNotSame(substr(Workers::name($pid), -8), substr(Workers::name((int) getmypid()), -8), 'a number that comes again is another worker');
        posix_kill($pid, SIGSTOP);
        usleep(50_000);
        self::assertFalse(Workers::works($pid), 'who stands still may never go on');
        posix_kill($pid, SIGKILL);
        proc_close($child);
        self::assertFalse(Workers::works($pid));
    }

    #[Test]
    public function receipts_copied_again_are_counted_once(): void
    {
        $feed = $this->carry($this->feed());
        $count = static fn (): array => [DB::table('receipts')->count(), (int) DB::table('carried_hours')->sum('rows')];
        $before = $count();
        self::assertSame(500, $before[1]);
        $session = RowDelivery::open(app(Systems::class)->target($feed->route->target), $feed->definition->parsed()->landedTable(), Holder::feed($feed->uid, 99));
        $receipts = array_map(static fn (Landed $r): array => [$feed->id, $r], $session->receiptsAfter(0));
        $session->close();
        self::assertNotSame([], $receipts);
        Receipts::copy($receipts);
        Receipts::copy([...$receipts, [PHP_INT_MAX, $receipts[0][1]]]);
        self::assertSame($before, $count(), 'and what is of a feed that is gone not at all');
    }

    #[Test]
    public function a_load_under_way_is_paused_resumed_and_cancelled(): void
    {
        $this->gate->run("INSERT INTO loads SELECT g, g, now() - interval '1 day' FROM generate_series(501, 600000) g");
        $feed = $this->feed();
        $meanwhile = function (callable $act) use ($feed): void {
            $leases = new Leases('test');
            (new FeedRunner(app(Systems::class), $leases, static function () use ($act, $feed): bool {
                $act($feed->fresh());

                return false;
            }))->run($leases->feed($feed->id) ?? self::fail('no lease'));
            $feed->refresh();
        };

        $meanwhile(static fn (Feed $f): int => FeedBook::pause([$f]));
        $landed = (int) $this->house->value('SELECT count(*) FROM copy.loads');
        self::assertSame(['paused', 'paused'], [$feed->state(), Run::findOrFail($feed->last_run_id)->state]);
        self::assertTrue($landed > 0 && $landed < 600_000, "{$landed} rows");
        self::assertSame($landed, (int) $feed->receipts()->sum('read'));

        FeedBook::resume([$feed]);
        $meanwhile(static fn (Feed $f) => FeedBook::startOver($f));
        self::assertNotNull($feed->due_at, 'somebody has to clear the load away');
        $feed = $this->carry($feed);
        self::assertSame(['paused', 0], [$feed->state(), $feed->sequence]);
        self::assertNull($this->house->value("SELECT to_regclass('copy.loads')"));

        FeedBook::resume([$feed]);
        $this->carry($feed->refresh());
        self::assertSame('600000', $this->house->value('SELECT count(*) FROM copy.loads'));
    }

    #[Test]
    public function a_change_makes_a_new_version_and_runs_name_theirs(): void
    {
        $feed = $this->carry($this->feed());
        $body = ['promise_seconds' => 5] + $feed->definition->body;
        FeedBook::change($feed, FeedDefinition::fromArray($body));
        FeedBook::change($feed->refresh(), FeedDefinition::fromArray($body));
        self::assertSame([1, 2], $feed->definitions()->orderBy('version')->pluck('version')->all(), 'the same again is no new version');
        $this->carry($feed->refresh());
        self::assertSame([1, 2], $feed->runs()->with('definition')->orderBy('id')->get()->map(fn (Run $r): int => $r->definition->version)->all());
        $entry = DB::table('audit_entries')->where('action', 'changed')->where('subject_kind', 'feed')->latest('id')->first();
        self::assertSame(['promise_seconds' => 900], json_decode($entry->before, true));
        self::assertSame(['promise_seconds' => 5], json_decode($entry->after, true));
    }

    #[Test]
    public function time_behind_is_sampled_against_the_promise(): void
    {
        $feed = $this->carry($this->feed());
        app(Minder::class)->tick();
        $feed->update(['complete_up_to' => now()->subHour()]);
        app(Minder::class)->tick();
        $rows = DB::table('behind_minutes')->where('feed_id', $feed->id)->get();
        self::assertEqualsWithDelta(3600, $rows->max('seconds'), 5);
        self::assertFalse((bool) $rows->last()->kept);
        self::assertSame('late', $feed->refresh()->state());
    }

    #[Test]
    public function every_minute_counts_towards_a_promise_but_those_that_are_named(): void
    {
        $feed = $this->feed();
        DB::update("UPDATE feeds SET created_at = date_trunc('minute', now()) - interval '60 minutes'");
        $minutes = static fn (int $from, int $to, string $values): bool => DB::insert("INSERT INTO behind_minutes (feed_id, minute, seconds, kept, left_out) SELECT ?, date_trunc('minute', now()) - g * interval '1 minute', {$values} FROM generate_series(?::int, ?::int) g", [$feed->id, $from, $to]);
        // Before the hour is nothing of this feed; then it loads, keeps its promise, is late, is paused; nobody looks for four minutes.
        $minutes(51, 60, "NULL, NULL, 'not landed'");
        $minutes(21, 50, '1, true, NULL');
        $minutes(11, 20, '9999, false, NULL');
        $minutes(5, 10, "9999, NULL, 'paused'");
        $kept = PromiseRecord::of($feed->id)->day;
        self::assertSame([40, 30, ['paused' => 6, 'before the first load was complete' => 10, 'not looked at' => 4]], [$kept->minutes, $kept->kept, $kept->leftOut()]);
        self::assertEquals($kept, PromiseRecord::countAll(), 'one rule for one feed and for all');
        $this->actingAs($this->person('reader', 'viewer'))->get('/feeds/loads')->assertOk()->assertSee('75.0')->assertSee('40 min counted in 24 h; not counted: 6 min paused, 10 min before the first load was complete, 4 min not looked at');
        Cache::forget(PromiseRecord::KEPT);
        $this->get('/watch')->assertOk()->assertSee('Not counted: 6 min paused, 10 min before the first load was complete, 4 min not looked at');
    }

    #[Test]
    public function what_a_minute_counts_as_is_seen_when_it_is_looked_at(): void
    {
        $feed = $this->feed();
        $look = static function () use ($feed): array {
            DB::table('behind_minutes')->delete();
            app(Minder::class)->tick();
            $row = DB::table('behind_minutes')->where('feed_id', $feed->id)->sole();

            return [$row->kept, $row->left_out];
        };
        self::assertSame([null, 'not landed'], $look());
        $feed = $this->carry($feed);
        self::assertSame([true, null], $look());
        FeedBook::pause([$feed]);
        self::assertSame([null, 'paused'], $look());
        DB::update('UPDATE feeds SET paused_at = NULL');
        app(Minder::class)->tick();
        self::assertSame([true, null], [DB::table('behind_minutes')->value('kept'), DB::table('behind_minutes')->value('left_out')], 'a minute in part of which it went counts');
        DB::update("UPDATE feeds SET standing = 'failed', complete_up_to = now() - interval '1 day'");
        self::assertSame([false, null], $look(), 'whatever it has failed of');
        DB::update('UPDATE feeds SET complete_up_to = NULL, reload = ?', [json_encode(AskedLoad::mending()->toArray())]);
        self::assertSame([false, null], $look(), 'a copy that has to be mended is complete up to no time that is known');
    }

    /** How far behind a copy is may not depend on whose clock is right. */
    #[Test]
    #[TestWith([3600])]
    #[TestWith([-3600])]
    public function a_source_whose_clock_is_wrong_is_no_further_behind_for_it(int $ahead): void
    {
        // Ours is the other way off, which is the same.
        SteadyClock::set(SteadyClock::micros() - $ahead * 1_000_000);
        try {
            $feed = $this->carry($this->feed());
            self::assertEqualsWithDelta(0, (int) now()->format('U') - (int) $feed->complete_up_to?->format('U'), 3);
            $this->gate->run('UPDATE loads SET kg = 1, updated_at = clock_timestamp() WHERE id = 1; SELECT pg_sleep(0.7)');
            $feed = $this->carry($feed);
            self::assertEqualsWithDelta(0, (int) now()->format('U') - (int) $feed->complete_up_to?->format('U'), 3);
            self::assertSame('1', $this->house->value('SELECT kg FROM copy.loads WHERE id = 1'));
        } finally {
            HouseTime::takeFrom(DB::connection());
        }
    }

    #[Test]
    public function a_landed_table_that_others_dropped_or_emptied_is_refused_until_it_is_loaded_again(): void
    {
        $feed = $this->carry($this->feed());
        foreach (['DROP TABLE copy.loads' => 'landed_gone', 'TRUNCATE copy.loads' => 'landed_emptied', 'ALTER TABLE copy.loads DROP kg; ALTER TABLE copy.loads ADD kg int' => 'landed_column'] as $sql => $reason) {
            $this->house->run($sql);
            $this->gate->run('UPDATE loads SET kg = kg + 1, updated_at = now() WHERE id = 1; SELECT pg_sleep(0.7)');
            $feed = $this->carry($feed);
            self::assertSame(['failed', $reason], [$feed->state(), $feed->trouble?->reason?->value], $sql);
            FeedBook::resume([$feed]);
            self::assertSame(['failed', $reason], [$this->carry($feed)->state(), $feed->refresh()->trouble?->reason?->value], 'resuming alone does not make it right');
            $this->actingAs($this->person("engineer {$reason}", 'engineer'))->get('/feeds/loads')->assertOk()->assertSee('Load the table again');
            $this->post('/feeds/loads/reload', ['what' => 'whole'])->assertSessionHasNoErrors();
            $this->carry($feed);
            $feed = $this->carry($feed);
            self::assertSame('on time', $feed->state());
            self::assertSame($this->gate->value('SELECT sum(hashint4(id) + kg) FROM loads'), $this->house->value('SELECT sum(hashint4(id) + kg) FROM copy.loads'));
        }
    }

    #[Test]
    public function a_part_of_a_table_is_loaded_again_and_the_position_stays(): void
    {
        $feed = $this->carry($this->carry($this->feed()));
        $stands = $feed->position;
        $spoil = fn () => $this->house->run('UPDATE copy.loads SET kg = -1 WHERE id BETWEEN 10 AND 20; DELETE FROM copy.loads WHERE id = 15');
        foreach ([['what' => 'range', 'after' => ['9'], 'until' => ['20']], ['what' => 'keys', 'keys' => implode("\n", range(10, 20))], ['what' => 'column', 'column' => 'kg', 'from' => '10', 'to' => '20'], ['what' => 'whole']] as $asked) {
            $spoil();
            $this->actingAs($this->person('engineer '.$asked['what'], 'engineer'))->post('/feeds/loads/reload', $asked)->assertSessionHasNoErrors();
            $feed = $this->carry($feed);
            self::assertSame($this->gate->value('SELECT sum(kg) FROM loads'), $this->house->value('SELECT sum(kg) FROM copy.loads'), $asked['what']);
            self::assertEquals([$stands, null], [$feed->position, $feed->reload]);
        }
        foreach ([['what' => 'range', 'after' => ['abc']], ['what' => 'keys', 'keys' => "1\nx"], ['what' => 'column', 'column' => 'kg', 'from' => 'heavy'], ['what' => 'column', 'column' => 'nothing'], ['what' => 'keys', 'keys' => '']] as $asked) {
            $this->post('/feeds/loads/reload', $asked)->assertSessionHasErrors('said');
        }
        self::assertNull($feed->refresh()->reload);
        $this->artisan('feed:load', ['name' => 'loads', '--key' => ['5', '6']])->expectsOutputToContain('2 keys')->assertSuccessful();
    }

    #[Test]
    public function a_landed_table_that_is_gone_is_noticed_though_nothing_lands(): void
    {
        $feed = $this->carry($this->carry($this->feed()));
        self::assertSame('on time', $this->carry($feed)->state());
        $this->house->run('DROP TABLE copy.loads');
        $feed = $this->carry($feed);
        self::assertSame(['failed', 'landed_gone'], [$feed->state(), $feed->trouble?->reason?->value]);
        FeedBook::reload($feed, Slice::whole());
        $this->carry($feed->refresh());
        self::assertSame(['on time', '500'], [$this->carry($feed->refresh())->state(), $this->house->value('SELECT count(*) FROM copy.loads')]);
    }

    #[Test]
    public function a_load_that_mends_is_not_given_up_for_a_part(): void
    {
        $feed = $this->carry($this->carry($this->feed()));
        $feed->update(['reload' => ['mends' => true], 'standing' => 'loading']);
        $this->house->run('UPDATE copy.loads SET kg = -1');
        FeedBook::reload($feed, Slice::range(['9'], ['20']));
        $feed = $this->carry($feed->refresh());
        self::assertSame([null, '0'], [$feed->reload, $this->house->value('SELECT count(*) FROM copy.loads WHERE kg = -1')]);
    }

    #[Test]
    public function a_reload_that_appends_adds_every_row_once(): void
    {
        $feed = $this->feed(['capture' => Capture::Reload, 'landing' => Landing::Append, 'watermark' => null]);
        foreach ([1, 2, 3] as $times) {
            $this->gate->run('UPDATE loads SET kg = kg + 1');
            $this->carry($feed);
            self::assertSame(['500', (string) $times, (string) $times], array_values($this->house->row('SELECT count(DISTINCT id), min(n), max(n) FROM (SELECT id, count(*) AS n FROM copy.loads GROUP BY id) c') ?? []));
            self::assertSame($this->gate->value('SELECT sum(kg) FROM loads'), $this->house->value('SELECT sum(kg) FROM copy.loads WHERE delivered_at = (SELECT max(delivered_at) FROM copy.loads)'));
        }
    }

    #[Test]
    public function what_is_asked_for_while_a_run_is_under_way_is_not_forgotten(): void
    {
        $feed = $this->carry($this->carry($this->feed()));
        $during = function (string $event, callable $do) use (&$feed): void {
            $done = false;
            $event::{$event === Run::class ? 'created' : 'updated'}(function () use (&$done, $do, &$feed): void {
                if (! $done) {
                    $done = true;
                    $do(Feed::findOrFail($feed->id));
                }
            });
            $this->gate->run('UPDATE loads SET kg = kg + 1, updated_at = now() WHERE id = 1; SELECT pg_sleep(0.7)');
            $feed = $this->carry($feed);
            $event::flushEventListeners();
            self::assertTrue($done);
            self::assertTrue($feed->due_at?->lessThanOrEqualTo(now()) ?? false, 'it is due at once');
        };
        $during(Run::class, static fn (Feed $f) => FeedBook::reload($f, Slice::whole()));
        self::assertNotNull($feed->reload);
        $feed = $this->carry($feed);
        self::assertNull($feed->reload);
        $during(Run::class, static fn (Feed $f) => FeedBook::resume([tap($f, static fn (Feed $f) => FeedBook::pause([$f]))->refresh()]));
        FeedBook::startOver($feed);
        $during(Feed::class, static fn (Feed $f) => FeedBook::resume([$f]));
        self::assertSame([null, 'on time'], [$feed->paused_at, $this->carry($feed)->state()]);
    }

    #[Test]
    public function rows_dated_ahead_are_counted_and_said(): void
    {
        $this->gate->run("INSERT INTO loads VALUES (901, 1, now() + interval '1 day'), (902, 1, 'infinity'); ANALYZE loads");
        $feed = $this->carry($this->feed());
        $said = $feed->runs()->firstOrFail()->lines()->pluck('said')->implode(' ');
        self::assertStringContainsString('2 rows have a updated_at ahead', str_replace('an updated_at', 'a updated_at', $said));

        // Those that come later are told by the guarantee.
        $this->gate->run("INSERT INTO loads VALUES (903, 1, now() + interval '2 days'); ANALYZE loads");
        $this->actingAs($this->engineer())->get('/feeds/loads')->assertOk()->assertSee('3 rows have a updated_at ahead of the source');
    }
}
