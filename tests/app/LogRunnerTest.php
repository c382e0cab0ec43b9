<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\AsideDesk;
use App\Feeds\FeedBook;
use App\Feeds\SystemBook;
use App\Feeds\WatchedRecords;
use App\Models\Feed;
use App\Models\MaskKey;
use App\Models\RouteLog;
use App\Models\Run;
use App\Models\RunLine;
use App\Models\SetAside;
use App\Pages\Decisions;
use App\Pages\Delays;
use App\Pages\Frame;
use App\Pages\TideChart;
use App\Runtime\Common\Systems;
use App\Runtime\Stream\LogRunner;
use App\Runtime\Stream\Spool;
use App\Runtime\Stream\TargetAway;
use App\Runtime\Work\Leases;
use App\Support\Say;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Truncates;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Tests\Definition\Definitions;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Trouble\Act;
use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\SystemTrouble;
use LogicException;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

final class LogRunnerTest extends LogRunnerCase
{
    #[Test]
    public function a_feed_loads_and_follows_and_every_figure_adds_up(): void
    {
        $feed = $this->logFeed();
        $this->drain();
        $this->gate->run('UPDATE loads SET kg = kg + 1 WHERE id <= 40; DELETE FROM loads WHERE id > 495; INSERT INTO loads VALUES (1000, 1)');
        $this->drain();
        $this->assertCopied();
        $feed->refresh();
        self::assertSame('on time', $feed->state());
        foreach ($feed->runs as $run) {
            self::assertTrue($run->addsUp(), "run {$run->id}");
        }
        $changes = Run::where('feed_id', $feed->id)->where('kind', 'log')->get();
        self::assertSame([46, 1, 40, 5], [(int) $changes->sum('read'), (int) $changes->sum('inserted'), (int) $changes->sum('updated'), (int) $changes->sum('deleted')]);
        $this->travelTo(now()->startOfMinute()->addMilliseconds(400));
        self::assertSame(46, Delays::last([$feed->id], 60)->histogram->total(), 'in the first second of a minute');
        $this->travelBack();
        $tide = TideChart::of([$feed->id], '1h', $feed->log());
        self::assertSame([46.0, 46.0, 0], [$tide->committed(), $tide->delivered(), $tide->waiting()]);
        self::assertSame([546, 546], [(int) $feed->receipts()->sum('read'), (int) DB::table('carried_hours')->where('feed_id', $feed->id)->sum('rows')]);
    }

    #[Test]
    public function changes_of_a_paused_feed_wait_in_the_spool_while_the_others_go_on(): void
    {
        $paused = $this->logFeed();
        $this->logFeed(more: ['name' => 'other']);
        $this->drain();
        FeedBook::pause([$paused]);
        $this->gate->run('UPDATE loads SET kg = 7 WHERE id <= 100');
        $this->gate->run('INSERT INTO loads SELECT g, 1 FROM generate_series(2001, 4500) g');
        $this->drain();
        $this->assertCopied(copy: 'other');
        self::assertSame('500', $this->house->value('SELECT count(*) FROM copy.loads'));
        self::assertSame(2600, $paused->refresh()->waiting);
        self::assertSame(4, DB::table('spool')->count(), 'a transaction of 2500 changes is kept in three parts');
        $this->artisan('log:read', ['route' => $paused->route->name, '--drain' => true])->expectsOutputToContain("loads is paused: 2\u{202F}600 changes of it wait to be landed.")->assertSuccessful();
        $tide = TideChart::of([$paused->id], '1h', $paused->log());
        self::assertSame([2600.0, 2600, null], [$tide->committed() - $tide->delivered(), $tide->waiting(), $tide->unknownFrom()], 'what waits in the spool is drawn as it waits');
        $page = $this->actingAs($this->person('reader', 'viewer'))->get('/feeds/loads')->assertOk();
        self::assertMatchesRegularExpression('#<dt>Waiting</dt><dd>2.600 changes#u', (string) $page->getContent());
        FeedBook::resume([$paused]);
        $this->drain();
        $this->assertCopied();
        self::assertSame(0, DB::table('spool')->count());
        $tide = TideChart::of([$paused->id], '1h', $paused->log());
        self::assertSame([$tide->delivered(), 0], [$tide->committed(), $tide->waiting()]);
    }

    #[Test]
    #[TestWith([Capture::Log])]
    #[TestWith([Capture::Trigger])]
    public function a_mask_saved_while_a_first_load_is_paused_lands_again_what_had_landed_in_clear(Capture $capture): void
    {
        $this->gate->run("CREATE TABLE public.vats (id int PRIMARY KEY, grower text, pad text); INSERT INTO vats SELECT g, 'Quill '||g, repeat('x', 300) FROM generate_series(1, 120000) g");
        $feed = $this->logFeed('vats', ['capture' => $capture]);
        $begun = microtime(true);
        $this->readUntil(function () use ($feed, $begun): bool {
            return microtime(true) - $begun > 30 || ($feed->refresh()->sequence > 0 && $feed->standing === 'loading');
        });
        self::assertSame('loading', $feed->refresh()->standing);
        FeedBook::pause([$feed]);
        $clear = "SELECT count(*) FROM copy.vats WHERE grower LIKE 'Quill%'";
        $before = (int) $this->house->value($clear);
        self::assertGreaterThan(0, $before);
        $this->actingAs($this->engineer());
        $this->post('/feeds/vats/columns/act', ['act' => 'mask:null', 'lines' => [1]])->assertSessionHasNoErrors();
        $this->post('/feeds/vats/checks', ['act' => 'outcome', 'failing' => 'set_aside'])->assertSessionHasNoErrors();
        $this->post('/feeds/vats/columns/act', ['act' => 'save'])->assertSessionHasNoErrors()->assertSessionHas('done', static fn (string $said): bool => str_contains($said, 'it begins again'));
        $this->gate->run("UPDATE vats SET grower = 'Quill again' WHERE id % 1000 = 0");
        $this->drain();
        self::assertSame([$before, 'paused'], [(int) $this->house->value($clear), $feed->refresh()->state()], 'nothing lands while it is paused');
        FeedBook::resume([$feed]);
        $this->drain();
        self::assertSame(['on time', '0', '120000'], [$feed->refresh()->state(), $this->house->value($clear), $this->house->value('SELECT count(*) FROM copy.vats')]);
    }

    /** The reading is tried again and again; yet it is for somebody to put right. */
    #[Test]
    public function a_target_that_lets_nobody_in_fails_the_feeds_of_its_routes_until_it_does(): void
    {
        $feed = $this->logFeed();
        $this->drain();
        $password = $this->target->secret;
        $this->target->update(['secret' => 'sour-apple-77']);
        app(Systems::class)->forget();
        $this->gate->run('UPDATE loads SET kg = 7 WHERE id <= 100');
        try {
            $this->drain();
            self::fail('It landed.');
        } catch (TargetAway $away) {
            self::assertFalse($away->trouble->mayPass());
        }
        self::assertSame(['waiting', 'failed'], [RouteLog::sole()->standing, $feed->refresh()->load('route.logs')->state()]);
        self::assertSame(['failed'], array_keys((new Frame)->byState()));
        self::assertTrue(Decisions::waiting()->contains($feed));
        $this->actingAs($this->engineer())->get('/feeds/loads')->assertOk()->assertSee('failed')->assertDontSee('sour-apple-77');
        $this->target->update(['secret' => $password]);
        app(Systems::class)->forget();
        $this->drain();
        $this->assertCopied();
        self::assertSame('on time', $feed->refresh()->load('route.logs')->state());
    }

    /** Nobody reads, and nobody asks the source: nothing is said of what has been written since. */
    #[Test]
    public function what_a_log_that_is_not_read_may_hold_is_shown_as_not_known(): void
    {
        $feed = $this->logFeed();
        $this->drain();
        $this->gate->run('UPDATE loads SET kg = 7 WHERE id <= 100');
        self::assertSame('', Say::unseen($feed->refresh()->log()));
        DB::update("UPDATE route_logs SET complete_up_to = now() - interval '20 minutes'");
        $at = RouteLog::sole()->complete_up_to;
        self::assertSame('known up to '.Say::at($at), Say::unseen($feed->load('route.logs')->log()), 'while it is read, what was read may wait to land together');
        DB::update("UPDATE route_logs SET updated_at = now() - interval '20 minutes'");
        DB::update("UPDATE feeds SET complete_up_to = now() - interval '20 minutes'");
        $tide = TideChart::of([$feed->id], '1h', $feed->load('route.logs')->log());
        self::assertNotNull($tide->unknownFrom());
        self::assertEqualsWithDelta($tide->x((float) now()->subMinutes(20)->format('U.u')), $tide->unknownFrom(), 1.0);
        $this->actingAs($this->person('reader', 'viewer'));
        $since = 'not seen since '.Say::at($at);
        foreach (['/feeds/loads', "/routes/{$feed->route_id}", '/watch'] as $page) {
            $content = (string) $this->get($page)->assertOk()->assertDontSee('0 changes')->getContent();
            self::assertStringContainsStringIgnoringCase($since, $content, $page);
        }
    }

    /** Of the changes that come while a journal's first load goes on, those that the load brings are none of its entries. */
    #[Test]
    #[TestWith([Capture::Log])]
    #[TestWith([Capture::Trigger])]
    public function delays_of_a_journal_are_those_of_its_entries(Capture $capture): void
    {
        $this->gate->run("CREATE TABLE public.vats (id int PRIMARY KEY, level int, pad text); INSERT INTO vats SELECT g, 0, repeat('x', 300) FROM generate_series(1, 20000) g");
        $feed = $this->logFeed('vats', ['capture' => $capture, 'landing' => Landing::Append]);
        $this->drain(function (int $n): void {
            $n >= 100 || $this->gate->run('UPDATE vats SET level = level + 1 WHERE id IN (1, 10000, 20000 - '.$n.')');
        });
        $this->gate->run('UPDATE vats SET level = 5 WHERE id <= 10');
        $this->drain();
        $entries = (int) $this->house->value("SELECT count(*) FROM copy.vats WHERE change_kind <> 'load'");
        self::assertGreaterThanOrEqual(10, $entries);
        self::assertLessThan(310, $entries, 'some came with the load');
        self::assertSame($entries, (int) DB::table('latency_minutes')->where('feed_id', $feed->id)->sum('changes'));
        foreach (['committed', 'delivered'] as $line) {
            self::assertSame($entries, (int) DB::table('tides')->where('feed_id', $feed->id)->where('step', 60)->sum($line), $line);
        }
    }

    #[Test]
    public function a_feed_whose_table_moves_is_held_alone_and_loses_nothing(): void
    {
        $feed = $this->logFeed();
        $this->gate->run('CREATE TABLE bands (id int PRIMARY KEY, price int)');
        $this->logFeed('bands');
        $this->drain();
        $this->gate->run('ALTER TABLE loads ADD COLUMN moisture int; BEGIN; UPDATE loads SET kg = 1, moisture = 9 WHERE id <= 3; INSERT INTO bands VALUES (1, 10); COMMIT');
        $this->drain();
        $this->assertCopied('bands', 'bands', 'id, price');
        self::assertSame(['held', Act::AgreeToShape], [$feed->refresh()->standing, $feed->trouble->remedy->act]);
        $this->artisan('log:read', ['route' => $feed->route->name, '--drain' => true])->expectsOutputToContain('loads is held: 3 changes of it wait to be landed.')->assertFailed();
        $this->gate->run('ALTER TABLE loads DROP COLUMN moisture; UPDATE loads SET kg = 2 WHERE id = 2');
        FeedBook::resume([$feed]);
        $this->drain();
        $this->assertCopied();
        self::assertSame('on time', $feed->refresh()->state());
    }

    #[Test]
    public function a_column_given_another_type_while_the_log_is_read_holds_the_feed(): void
    {
        $feed = $this->logFeed();
        $this->drain();
        $this->gate->run('UPDATE loads SET kg = 5 WHERE id = 1');
        $leases = new Leases('test');
        $lease = $leases->log(RouteLog::sole()->id);
        self::assertNotNull($lease);
        $retyped = false;
        $until = microtime(true) + 20;
        (new LogRunner(app(Systems::class), $leases, function () use (&$retyped, $until, $feed): bool {
            if (! $retyped && $this->house->value('SELECT kg FROM copy.loads WHERE id = 1') === '5') {
                $retyped = true;
                $this->gate->run('ALTER TABLE loads ALTER COLUMN kg TYPE bigint; UPDATE loads SET kg = 6000000000 WHERE id = 2');
            }

            return $feed->refresh()->standing !== 'carried' || microtime(true) > $until;
        }))->run($lease);
        self::assertSame('held', $feed->refresh()->standing);
        self::assertStringContainsString('kg', $feed->trouble->message);
    }

    #[Test]
    public function what_the_target_refuses_fails_one_feed_and_lands_once_it_is_mended(): void
    {
        $feed = $this->logFeed();
        $this->logFeed(more: ['name' => 'other']);
        $this->drain();
        $this->house->run('ALTER TABLE copy.loads ADD CHECK (kg < 1000)');
        $this->gate->run('UPDATE loads SET kg = 5000 WHERE id = 1; UPDATE loads SET kg = 6 WHERE id = 2');
        $this->drain();
        $this->assertCopied(copy: 'other');
        self::assertSame('failed', $feed->refresh()->standing);
        self::assertStringContainsString('check constraint', $feed->trouble->message);
        $this->house->run('ALTER TABLE copy.loads DROP CONSTRAINT loads_kg_check');
        FeedBook::resume([$feed]);
        $this->drain();
        $this->assertCopied();
    }

    #[Test]
    public function an_emptied_table_asks_and_either_answer_is_followed(): void
    {
        $keeps = $this->logFeed();
        $empties = $this->logFeed(more: ['name' => 'other']);
        $this->logFeed(more: ['name' => 'carries', 'truncates' => Truncates::Carry]);
        $this->drain();
        $this->gate->run('TRUNCATE loads; INSERT INTO loads VALUES (1, 77)');
        $this->drain();
        self::assertSame([['held', Act::DecideEmptied], ['held', Act::DecideEmptied]], [[$keeps->refresh()->standing, $keeps->trouble->remedy->act], [$empties->refresh()->standing, $empties->trouble->remedy->act]]);
        $this->assertCopied(copy: 'carries');
        self::assertSame('500', $this->house->value('SELECT count(*) FROM copy.other'));
        FeedBook::decideEmptied($keeps, 'keep');
        FeedBook::decideEmptied($empties, 'carry');
        $this->drain();
        $this->assertCopied(copy: 'other');
        self::assertSame(['500', '77'], [$this->house->value('SELECT count(*) FROM copy.loads'), $this->house->value('SELECT kg FROM copy.loads WHERE id = 1')]);
    }

    /** Whoever decides at once, does so before the reader comes to what waits. */
    #[Test]
    #[TestWith(['carry'])]
    #[TestWith(['keep'])]
    public function a_decision_on_an_emptied_table_holds_though_the_log_is_read_again(string $what): void
    {
        $feed = $this->logFeed();
        $this->drain();
        FeedBook::decideEmptied($feed, $what);
        $this->gate->run('TRUNCATE loads; INSERT INTO loads VALUES (1, 77)');
        $this->drain();
        $feed = Feed::with('route.logs')->findOrFail($feed->id);
        self::assertSame(['on time', null, $what === 'keep' ? '500' : '1'], [$feed->state(), $feed->emptied, $this->house->value('SELECT count(*) FROM copy.loads')]);
        $this->gate->run('TRUNCATE loads');
        $this->drain();
        self::assertSame('held', $feed->refresh()->standing, 'it is decided once');
    }

    #[Test]
    public function a_table_that_cannot_be_logged_fails_alone_with_the_statement_that_helps(): void
    {
        $this->logFeed();
        $this->gate->run('CREATE TABLE heap (id int NOT NULL)');
        $heap = $this->logFeed('heap');
        $this->drain();
        $this->assertCopied();
        self::assertSame('failed', $heap->refresh()->standing);
        self::assertStringContainsString('REPLICA IDENTITY FULL', $heap->trouble->remedy->said);
        self::assertNull($this->gate->value("SELECT 1 FROM pg_publication_tables WHERE tablename = 'heap'"), 'publishing it would make updates fail');
        $this->gate->run('ALTER TABLE heap REPLICA IDENTITY FULL; INSERT INTO heap VALUES (3)');
        FeedBook::resume([$heap]);
        $this->drain();
        $this->assertCopied('heap', 'heap', 'id');
    }

    #[Test]
    public function a_load_that_is_asked_for_while_another_ends_is_not_forgotten(): void
    {
        $feed = $this->logFeed();
        $this->drain();
        $last = static fn (string $pattern): int => (int) RunLine::whereRaw('said ~ ?', [$pattern])->max('id');
        $ended = $last('loaded|complete');
        FeedBook::reload($feed, Slice::whole());
        $this->drain(function () use ($feed, $last, $ended): void {
            // Until it has ended, and so in the moment before as well.
            if ($last('^Loads ') > $ended && $last('loaded|complete') === $ended) {
                FeedBook::reload($feed, Slice::range(['0'], ['5']));
            }
        });
        $ended = $last('loaded|complete');
        $this->drain();
        self::assertGreaterThan(0, RunLine::where('said', 'Loads a range of keys again, beside the changes.')->max('id'));
        self::assertGreaterThan($ended, max($last('^Loads a range'), $last('loaded|complete')), 'what was asked for last is loaded');
        self::assertNull($feed->refresh()->reload);
    }

    #[Test]
    public function loading_again_mends_a_copy_that_somebody_changed(): void
    {
        $feed = $this->logFeed();
        $this->drain();
        $this->house->run('UPDATE copy.loads SET kg = -1 WHERE id BETWEEN 90 AND 210; DELETE FROM copy.loads WHERE id = 205');
        FeedBook::reload($feed, Slice::range(['100'], ['200']));
        $this->drain();
        self::assertSame('20', $this->house->value('SELECT count(*) FROM copy.loads WHERE kg = -1'), '90 to 100 and 201 to 210 but for the deleted one');
        FeedBook::reload($feed, Slice::whole());
        $this->drain();
        $this->assertCopied();
        self::assertNull($feed->refresh()->reload);
    }

    #[Test]
    public function a_mark_of_a_reader_that_died_does_not_end_the_reading_before_everything_has_landed(): void
    {
        $this->logFeed();
        $this->drain();
        for ($number = 1; $number <= 3; $number++) {
            $this->gate->run("SELECT pg_logical_emit_message(true, 'lighterman', $1)", [json_encode(['log' => RouteLog::sole()->uid, 'beat' => $number], JSON_THROW_ON_ERROR)]);
        }
        $this->gate->run('UPDATE loads SET kg = kg + 1');
        $this->drain();
        $this->assertCopied();
    }

    /** @return iterable<string, array{string, string, string}> what breaks one feed, what mends it, and what it is called */
    public static function ownTroubles(): iterable
    {
        yield 'a record that stops it' => ['UPDATE loads SET kg = -5 WHERE id = 7', '', 'failed'];
        yield 'a constraint of its landed table' => ['UPDATE loads SET kg = 77777 WHERE id = 7', 'ALTER TABLE copy.loads DROP CONSTRAINT small', 'failed'];
        yield 'a landed table that is gone' => ['ALTER TABLE copy.loads RENAME TO elsewhere', 'ALTER TABLE copy.elsewhere RENAME TO loads', 'failed'];
        yield 'a shape that moved' => ['ALTER TABLE loads ADD more int', 'ALTER TABLE loads DROP more', 'held'];
    }

    #[Test]
    #[DataProvider('ownTroubles')]
    public function one_feeds_trouble_neither_closes_the_log_nor_holds_up_another(string $breaks, string $mends, string $state): void
    {
        $this->gate->run('CREATE TABLE other (id int PRIMARY KEY, n int); INSERT INTO other SELECT g, 0 FROM generate_series(1, 50) g');
        $feed = $this->logFeed('loads', ['treatment' => Treatment::fromArray(['checks' => [['check' => 'range', 'columns' => ['kg'], 'from' => '0', 'else' => 'stop']], 'failing' => 'stop'])]);
        $other = $this->logFeed('other');
        $this->drain();
        $this->house->run('ALTER TABLE copy.loads ADD CONSTRAINT small CHECK (kg < 70000) NOT VALID');
        $at = fn (string $sql) => str_contains($sql, ' copy.') ? $this->house->run($sql) : $this->gate->run($sql);
        $reader = fn (): ?string => $this->gate->value("SELECT string_agg(pid::text, ' ') FROM pg_stat_activity WHERE datname = current_database() AND application_name = 'lighterman log'");
        [$step, $readers, $until] = [0, [], microtime(true) + 40];
        $this->readUntil(function () use (&$step, &$readers, $until, $at, $breaks, $mends, $reader, $feed, $other): bool {
            $landed = fn (): bool => $this->house->value('SELECT count(*) FROM copy.other WHERE n <> '.$step) === '0';
            if ($step === 0 && $reader() !== null) {
                $readers[] = $reader();
                // In one transaction with what the other brings, and in between transactions of both.
                $at($breaks);
                $this->gate->run('BEGIN; UPDATE other SET n = 1; UPDATE loads SET updated_at = clock_timestamp() WHERE id % 50 = 7; COMMIT');
                $step = 1;
            } elseif ($step === 1 && $landed() && $feed->fresh()?->standing !== 'carried') {
                $readers[] = $reader();
                self::assertSame('on time', $other->fresh()?->state());
                $mends === '' ? FeedBook::change($feed->refresh()->load('definition'), FeedDefinition::fromArray(['treatment' => ['checks' => [['check' => 'range', 'columns' => ['kg'], 'from' => '0', 'else' => 'warn']], 'failing' => 'stop']] + $feed->definition->body)) : $at($mends);
                $this->gate->run('BEGIN; UPDATE other SET n = 2; DELETE FROM loads WHERE id % 50 = 8; COMMIT');
                FeedBook::resume([$feed->fresh() ?? self::fail('gone')]);
                $step = 2;
            } elseif ($step === 2 && $landed() && $feed->fresh()?->state() === 'on time' && $this->house->value('SELECT count(*) FROM copy.loads WHERE id % 50 = 8') === '0') {
                $readers[] = $reader();
                $step = 3;
            }

            return $step === 3 || microtime(true) > $until;
        });
        self::assertSame(3, $step, (string) json_encode($feed->refresh()->trouble));
        self::assertCount(1, array_unique($readers), 'the log was read on by the same reader');
        $this->drain();
        $this->assertCopied();
        $this->assertCopied('other', 'other', 'id, n');
        self::assertSame(1, $feed->runs()->where('state', $state)->count());
        $this->assertRunsAddUp($feed);
        $this->assertRunsAddUp($other);
    }

    #[Test]
    public function who_waits_for_everything_is_told_when_another_worker_takes_over(): void
    {
        $this->logFeed();
        $this->expectException(LeaseLost::class);
        $this->drain(static function (int $call): void {
            $call !== 2 ?: DB::table('leases')->increment('token');
        });
    }

    #[Test]
    public function the_reader_of_a_log_joins_small_files_when_asked_and_a_database_has_none(): void
    {
        $inHouse = $this->logFeed();
        $path = sys_get_temp_dir().'/lake-'.bin2hex(random_bytes(5));
        mkdir($path);
        try {
            $this->target = SystemBook::add('lake', ['path' => $path], '', 'lake');
            $feed = $this->logFeed(more: ['name' => 'journal', 'landing' => Landing::Append]);
            $log = RouteLog::where('route_id', $feed->route_id)->sole();
            for ($n = 0; $n < 3; $n++) {
                $this->gate->run('UPDATE loads SET kg = kg + 1 WHERE id = 1');
                $this->drain(log: $log);
            }
            FeedBook::pause([$feed]);
            self::assertSame(1, FeedBook::joinFiles([$feed, $inHouse]));
            $this->gate->run('UPDATE loads SET kg = kg + 1 WHERE id = 1');
            $this->drain(log: $log);
            $run = $feed->runs()->where('kind', Run::JOIN)->sole();
            self::assertSame(['done', '3 files', '1 file', false], [$run->state, $run->window_from, $run->window_to, $feed->refresh()->join_asked]);
            FeedBook::resume([$feed]);
            $this->drain(log: $log);
            $kept = app(Systems::class)->target($this->target)->kept()['copy.journal'];
            self::assertSame([2, (int) $this->gate->value('SELECT count(*) FROM loads') + 3], [$kept->files, $kept->rows], 'what changed meanwhile waited in the spool');
            $this->assertRunsAddUp($feed);
        } finally {
            exec('rm -rf '.escapeshellarg($path));
        }
    }

    #[Test]
    #[TestWith([Capture::Reload])]
    #[TestWith([Capture::Log])]
    public function values_that_files_of_a_lake_cannot_hold_set_their_records_aside_alone(Capture $capture): void
    {
        $path = sys_get_temp_dir().'/lake-'.bin2hex(random_bytes(5));
        mkdir($path);
        try {
            $this->target = SystemBook::add('lake', ['path' => $path], '', 'lake');
            $this->gate->run("CREATE TABLE public.far (id int PRIMARY KEY, price numeric(10,2), any_price numeric, at timestamp); INSERT INTO far VALUES (1, 'NaN', 1, now()), (2, 1, 'NaN', '294276-01-01'), (3, 2.5, 'NaN', '294246-12-31'), (4, NULL, NULL, 'infinity');
                ALTER TABLE far ADD tags text[], ADD grid int[]; UPDATE far SET tags = '{a,\"b c\",NULL}', grid = '{{1,2},{3,4}}' WHERE id = 3; INSERT INTO far (id, tags) VALUES (5, '{{a},{b}}')");
            $feed = $this->logFeed('far', ['capture' => $capture, 'treatment' => Treatment::fromArray(['columns' => [['from' => 'grid', 'steps' => [['convert' => 'text']]]], 'failing' => 'set_aside'])]);
            $capture === Capture::Log ? $this->drain() : $this->carry($feed);
            self::assertSame([['3', '2.50', 'NaN'], ['4', null, null]], app(Systems::class)->target($this->target)->query('SELECT id, price, any_price FROM copy.far ORDER BY id', 10, 30)->rows);
            self::assertSame([['{{1,2},{3,4}}', 'b c', '3']], app(Systems::class)->target($this->target)->query('SELECT grid, tags[2], len(tags) FROM copy.far WHERE id = 3', 10, 30)->rows, 'lists are lists, and what is converted to text is not asked to be one');
            self::assertSame(['no_list' => '5', 'no_number' => '1', 'too_far' => '2'], SetAside::all()->mapWithKeys(static fn (SetAside $r): array => [$r->reason => $r->whole()['id']])->sortKeys()->all());
        } finally {
            exec('rm -rf '.escapeshellarg($path));
        }
    }

    #[Test]
    public function a_column_that_comes_during_a_first_load_is_loaded_for_the_rows_that_were_there(): void
    {
        $this->gate->run('CREATE TABLE papers (id int PRIMARY KEY, paper text); ALTER TABLE papers ALTER paper SET STORAGE EXTERNAL; INSERT INTO papers SELECT g, repeat(g::text, 3000) FROM generate_series(1, 3000) g');
        $feed = $this->logFeed('papers');
        $added = false;
        $this->drain(function () use (&$added): void {
            $loaded = $added || $this->house->value("SELECT to_regclass('copy.papers')") === null ? 0 : (int) $this->house->value('SELECT max(id) FROM copy.papers');
            if ($loaded > 0 && $loaded < 2500) {
                $added = true;
                $this->gate->run("ALTER TABLE papers ADD state text DEFAULT 'kept'; UPDATE papers SET paper = '' WHERE id = 1");
            }
        });
        self::assertSame([true, 'held'], [$added, $feed->refresh()->standing]);
        $this->house->run('ALTER TABLE copy.papers ADD state text');
        FeedBook::agreeToPresent(Feed::with('route.source', 'route.target', 'route.logs', 'definition')->findOrFail($feed->id), app(Systems::class));
        $this->drain();
        $this->drain();
        self::assertSame(['3000', 'on time'], [$this->house->value("SELECT count(*) FROM copy.papers WHERE state = 'kept'"), Feed::with('route.logs')->findOrFail($feed->id)->state()]);
    }

    #[Test]
    public function what_landed_of_a_first_load_and_was_never_copied_is_not_forgotten_by_a_feed_that_is_held_at_once(): void
    {
        $this->gate->run('CREATE TABLE papers (id int PRIMARY KEY, paper text, state text); INSERT INTO papers SELECT g, g::text FROM generate_series(1, 300) g');
        $feed = $this->logFeed('papers', ['landing' => Landing::Append]);
        $this->drain();
        // As a worker leaves it that dies between the target's commit and ours, and somebody alters the table.
        DB::table('receipts')->where('feed_id', $feed->id)->delete();
        Feed::whereKey($feed->id)->update(['position' => null, 'sequence' => 0, 'complete_up_to' => null, 'standing' => 'loading']);
        $this->gate->run("BEGIN; UPDATE papers SET paper = 'before' WHERE id % 10 = 0; ALTER TABLE papers RENAME state TO stand; UPDATE papers SET paper = 'after' WHERE id % 10 = 1; COMMIT");
        $this->drain();
        $this->gate->run("INSERT INTO papers VALUES (301, 'while it is held', '')");
        $this->drain();
        self::assertSame('held', $feed->refresh()->standing);
        self::assertSame(61, Spool::waiting($feed->id));
        $this->house->run('ALTER TABLE copy.papers ADD stand text');
        FeedBook::agreeToPresent(Feed::with('route.source', 'route.target', 'route.logs', 'definition')->findOrFail($feed->id), app(Systems::class));
        $this->drain();
        $this->drain();
        self::assertSame('on time', Feed::with('route.logs')->findOrFail($feed->id)->state());
        self::assertSame(['301', '30', '30'], array_values((array) $this->house->row("SELECT count(DISTINCT id), count(DISTINCT id) FILTER (WHERE paper = 'before') AS b, count(DISTINCT id) FILTER (WHERE paper = 'after') AS a FROM copy.papers")));
    }

    #[Test]
    public function a_row_that_moves_past_the_load_before_it_was_loaded_is_not_lost(): void
    {
        $this->gate->run("CREATE TABLE papers (id int PRIMARY KEY, state text, paper text); ALTER TABLE papers ALTER paper SET STORAGE EXTERNAL; INSERT INTO papers SELECT g, 'new', repeat(g::text, 3000) FROM generate_series(1, 3000) g");
        $this->logFeed('papers');
        $moved = false;
        $this->drain(function () use (&$moved): void {
            $loaded = $moved || $this->house->value("SELECT to_regclass('copy.papers')") === null ? 0 : (int) $this->house->value('SELECT max(id) FROM copy.papers');
            if ($loaded > 0 && $loaded < 2500) {
                $moved = true;
                $this->gate->run('UPDATE papers SET id = -5 WHERE id = 2999');
            }
        });
        self::assertTrue($moved);
        $this->assertCopied('papers', 'papers', 'id, state, md5(paper)');
    }

    #[Test]
    public function the_last_log_feed_takes_slot_publication_and_spool_with_it(): void
    {
        $feed = $this->logFeed();
        $this->drain();
        self::assertSame('1', $this->gate->value('SELECT count(*) FROM pg_replication_slots WHERE database = current_database()'));
        FeedBook::remove($feed);
        $this->drain();
        self::assertSame(['0', '0'], [$this->gate->value('SELECT count(*) FROM pg_replication_slots WHERE database = current_database()'), $this->gate->value('SELECT count(*) FROM pg_publication')]);
        self::assertSame(0, RouteLog::count());
    }

    #[Test]
    public function a_slot_that_is_gone_is_told_and_never_silently_replaced(): void
    {
        $feed = $this->logFeed();
        $this->drain();
        // The server lets go of a slot a moment after its reader has gone.
        for ($try = 0; $try < 100 && $this->gate->value('SELECT count(*) FROM pg_replication_slots WHERE database = current_database() AND active') !== '0'; $try++) {
            usleep(50_000);
        }
        $this->gate->run('SELECT pg_drop_replication_slot(slot_name) FROM pg_replication_slots WHERE database = current_database()');
        $this->gate->run('UPDATE loads SET kg = 3');
        try {
            $this->drain();
            self::fail('it went on');
        } catch (Explained $trouble) {
            self::assertInstanceOf(SystemTrouble::class, $trouble);
            self::assertSame('slot_gone', $trouble->reason->value);
        }
        self::assertSame('failed', $feed->refresh()->load('route.logs')->state());
        self::assertSame([['failed' => 1], 1, ['loads']], [(new Frame)->byState(), (new Frame)->decisions(), Decisions::waiting()->pluck('name')->all()], 'every page says so');
        FeedBook::beginAnew(RouteLog::sole());
        $this->drain();
        $this->assertCopied();
        self::assertSame('on time', $feed->refresh()->load('route.logs')->state());
    }

    #[Test]
    public function many_feeds_share_one_slot_and_one_more_disturbs_none_of_them(): void
    {
        $many = (int) (getenv('LIGHTERMAN_TEST_FEEDS') ?: 80);
        $more = $many + 1;
        $this->gate->run("DO \$\$ BEGIN FOR i IN 1..{$more} LOOP EXECUTE format('CREATE TABLE t%s (id int PRIMARY KEY, n int)', i); EXECUTE format('INSERT INTO t%s VALUES (1, 0)', i); END LOOP; END \$\$");
        $shape = app(Systems::class)->source($this->source)->shape(new TableName('public', 't1'));
        $definition = static fn (int $n): FeedDefinition => Definitions::of("t{$n}", new TableName('public', "t{$n}"), $shape, Capture::Log, ['id'], Landing::Upsert, new TableName('copy', "t{$n}"));
        FeedBook::create($this->source, $this->target, array_map($definition, range(1, $many)));
        $this->drain();
        self::assertSame($many, Feed::where('standing', 'carried')->count());
        self::assertSame('1', $this->gate->value('SELECT count(*) FROM pg_replication_slots WHERE database = current_database()'));
        $before = Feed::orderBy('id')->pluck('sequence', 'name')->all();
        FeedBook::create($this->source, $this->target, [$definition($more)]);
        $this->gate->run('UPDATE t7 SET n = 1');
        $this->drain();
        $after = Feed::orderBy('id')->pluck('sequence', 'name')->all();
        self::assertSame(['t7', "t{$more}"], array_keys(array_diff_assoc($after, $before)), 'only what changed and what is new has a new receipt');
        self::assertSame('1', $this->house->value('SELECT n FROM copy.t7'));
        self::assertSame('1', $this->house->value("SELECT count(*) FROM copy.t{$more}"));
        self::assertSame('1', $this->gate->value('SELECT count(*) FROM pg_replication_slots WHERE database = current_database()'));
    }

    #[Test]
    public function a_feed_by_trigger_loads_and_follows_beside_one_by_log(): void
    {
        $this->logFeed('loads', ['name' => 'by log', 'landed' => new TableName('copy', 'by_log')]);
        $feed = $this->triggerFeed(['landing' => Landing::Versions]);
        self::assertSame(['log', 'trigger'], RouteLog::orderBy('capture')->pluck('capture')->all());
        RouteLog::where('capture', 'log')->delete();
        $this->drain();
        $this->gate->run('UPDATE loads SET kg = kg + 1 WHERE id <= 20; DELETE FROM loads WHERE id = 3; UPDATE loads SET id = 9001 WHERE id = 4');
        $this->drain();
        $this->assertCopied(copy: 'loads WHERE is_current');
        self::assertSame('on time', $feed->refresh()->load('route.logs')->state());
        self::assertSame(22, Delays::last([$feed->id], 60)->histogram->total(), 'each change is measured once');
    }

    #[Test]
    public function a_trigger_that_was_disabled_is_made_again_and_what_was_missed_is_loaded(): void
    {
        $feed = $this->triggerFeed();
        $this->drain();
        $this->gate->run('ALTER TABLE loads DISABLE TRIGGER ALL; DELETE FROM loads WHERE id IN (7, 499); UPDATE loads SET kg = 77 WHERE id = 5; INSERT INTO loads VALUES (9000, 1)');
        $this->drain();
        $this->assertCopied();
        self::assertSame('A trigger was disabled', $feed->refresh()->recentGap()?->why);
        self::assertNull($feed->reload);
        $this->actingAs($this->engineer());
        $this->get('/feeds/loads')->assertSee('A trigger was disabled, found')->assertSee('The table was loaded again');
        $this->get("/routes/{$feed->route_id}")->assertSee('Changes of public.loads were not recorded for some time');
        $this->post("/routes/{$feed->route_id}/check")->assertRedirect("/routes/{$feed->route_id}?capture=trigger#check");
        $this->get("/routes/{$feed->route_id}")->assertSee('Its triggers are in place.');
        $this->gate->run('UPDATE loads SET kg = 78 WHERE id = 5');
        $this->drain();
        $this->assertCopied();
    }

    #[Test]
    public function a_table_taken_out_of_the_publication_is_taken_in_again_and_loaded(): void
    {
        $feed = $this->logFeed();
        $this->drain();
        $this->gate->run('ALTER PUBLICATION '.RouteLog::sole()->names['publication'].' DROP TABLE loads; UPDATE loads SET kg = 77 WHERE id = 5');
        $this->drain();
        $this->assertCopied();
        self::assertStringStartsWith('Was taken out of publication', $feed->refresh()->recentGap()?->why ?? '');
    }

    #[Test]
    public function removing_the_last_feed_by_trigger_removes_everything_it_had_made(): void
    {
        $feed = $this->triggerFeed();
        $this->drain();
        $made = "SELECT (SELECT count(*) FROM pg_trigger WHERE tgrelid = 'public.loads'::regclass) || ' ' || (SELECT count(*) FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE nspname = 'lighterman' AND relkind = 'r')";
        self::assertSame('3 2', $this->gate->value($made));
        FeedBook::remove($feed);
        $this->drain();
        self::assertSame('0 0', $this->gate->value($made));
        self::assertSame(0, RouteLog::count());
    }

    #[Test]
    public function what_was_deleted_while_nobody_looked_is_landed_as_a_delete_by_loading_again(): void
    {
        $kept = $this->logFeed();
        $marked = $this->logFeed('loads', ['name' => 'marked', 'deletes' => Deletes::Mark, 'landed' => new TableName('copy', 'marked')]);
        $ignored = $this->logFeed('loads', ['name' => 'ignored', 'deletes' => Deletes::Ignore, 'landed' => new TableName('copy', 'ignored')]);
        $versions = $this->logFeed('loads', ['name' => 'versions', 'landing' => Landing::Versions, 'landed' => new TableName('copy', 'versions')]);
        $this->drain();
        $publication = RouteLog::sole()->names['publication'];
        $this->gate->run("ALTER PUBLICATION {$publication} DROP TABLE loads; DELETE FROM loads WHERE id IN (1, 250, 500)");
        $this->drain();
        $this->assertCopied();
        $this->assertCopied(copy: 'marked WHERE deleted_at IS NULL');
        $this->assertCopied(copy: 'versions WHERE is_current');
        self::assertSame('3', $this->house->value('SELECT count(*) FROM copy.marked WHERE deleted_at IS NOT NULL'));
        self::assertSame('500', $this->house->value('SELECT count(*) FROM copy.ignored'));
        self::assertSame('3', $this->house->value("SELECT count(*) FROM copy.versions WHERE change_kind = 'delete' AND NOT is_current"));
        self::assertSame('0', $this->house->value('SELECT count(*) FROM copy.versions v WHERE id IN (1, 250, 500) AND (is_current OR valid_to IS NULL)'));
        self::assertSame('0', $this->house->value("SELECT count(*) FROM pg_tables WHERE tablename LIKE 'seen\\_%'"));
        self::assertSame([], array_filter([$kept, $marked, $ignored, $versions], static fn (Feed $f): bool => $f->refresh()->reload !== null));
        // It goes on as before: a row that comes back is there again, and a load of a part removes nothing.
        $this->gate->run('INSERT INTO loads VALUES (250, 1)');
        $this->house->run('INSERT INTO copy.loads (id, kg, updated_at) VALUES (9999, 1, now())');
        FeedBook::reload($kept, Slice::range(['100'], ['200']));
        $this->drain();
        $this->assertCopied(copy: 'loads WHERE id <> 9999');
        self::assertSame('1', $this->house->value('SELECT count(*) FROM copy.loads WHERE id = 9999'));
    }

    #[Test]
    public function a_load_of_the_whole_table_that_is_interrupted_sweeps_only_at_its_end(): void
    {
        $this->gate->run('INSERT INTO loads SELECT g, g FROM generate_series(1001, 21000) g');
        $feed = $this->logFeed();
        $this->drain();
        $this->house->run('INSERT INTO copy.loads (id, kg, updated_at) VALUES (99999, 1, now())');
        FeedBook::reload($feed, Slice::whole());
        try {
            $this->drain(function (int $call) use ($feed): void {
                if ($call % 3 === 0 && ($feed->refresh()->progress['rows'] ?? 0) > 3000) {
                    throw new LogicException('The worker dies.');
                }
            });
            self::fail('It came to its end.');
        } catch (Explained|LogicException) {
            self::assertSame('1', $this->house->value('SELECT count(*) FROM copy.loads WHERE id = 99999'));
        }
        $this->gate->run('DELETE FROM loads WHERE id IN (2, 60999)');
        $this->drain();
        $this->assertCopied();
    }

    #[Test]
    public function a_change_table_that_is_gone_is_told_and_beginning_anew_mends_it(): void
    {
        $feed = $this->triggerFeed();
        $this->drain();
        $this->gate->run('UPDATE loads SET kg = kg + 1 WHERE id < 10');
        $this->drain();
        $this->gate->run('DO $$ DECLARE t text; BEGIN FOR t IN SELECT format(\'%I.%I\', schemaname, tablename) FROM pg_tables WHERE schemaname = \'lighterman\' LOOP EXECUTE \'DROP TABLE \' || t; END LOOP; END $$; DROP SCHEMA lighterman CASCADE; DELETE FROM loads WHERE id = 5; UPDATE loads SET kg = 77 WHERE id = 6');
        try {
            $this->drain();
            self::fail('it went on');
        } catch (SystemTrouble $trouble) {
            self::assertSame('changes_gone', $trouble->reason->value);
        }
        self::assertSame('failed', $feed->refresh()->load('route.logs')->state());
        FeedBook::beginAnew(RouteLog::sole());
        $this->drain();
        $this->assertCopied();
        $this->gate->run('UPDATE loads SET kg = 78 WHERE id = 6');
        $this->drain();
        $this->assertCopied();
        self::assertSame('on time', $feed->refresh()->load('route.logs')->state());
    }

    /** @param  array<string, mixed>  $more */
    private function treatedLog(array $more = []): Feed
    {
        $this->gate->run("ALTER TABLE loads ADD note text; UPDATE loads SET note = 'n' || id");

        return $this->logFeed('loads', $more + ['treatment' => Treatment::fromArray(['columns' => [['from' => 'kg', 'as' => 'kilos', 'steps' => [['convert' => 'text']]], ['from' => 'note', 'steps' => [['mask' => 'keyed_hash']]]], 'checks' => [['check' => 'range', 'columns' => ['kg'], 'from' => '0', 'as_read' => true, 'else' => 'set_aside']], 'failing' => 'set_aside'])]);
    }

    #[Test]
    #[TestWith([Capture::Log])]
    #[TestWith([Capture::Trigger])]
    public function changes_are_treated_and_what_fails_is_set_aside_until_a_newer_change_overtakes_it(Capture $capture): void
    {
        $this->gate->run('UPDATE loads SET kg = -1 WHERE id IN (1, 2, 3)');
        $feed = $this->treatedLog(['capture' => $capture]);
        $this->drain();
        self::assertSame('497', $this->house->value('SELECT count(*) FROM copy.loads'));
        self::assertSame(['load', 'load', 'load'], SetAside::waiting()->pluck('kind')->all());

        $this->gate->run('UPDATE loads SET kg = -7 WHERE id = 10; UPDATE loads SET kg = 20 WHERE id = 1; DELETE FROM loads WHERE id = 2; UPDATE loads SET kg = 5 WHERE id = 11');
        $this->drain();
        self::assertSame(['id = 10', 'id = 3'], SetAside::waiting()->orderBy('key')->pluck('key')->all());
        self::assertSame(['20', '10', '5'], [$this->house->value('SELECT kilos FROM copy.loads WHERE id = 1'), $this->house->value('SELECT kilos FROM copy.loads WHERE id = 10'), $this->house->value('SELECT kilos FROM copy.loads WHERE id = 11')]);

        AsideDesk::edit(SetAside::with('feed')->where('key', 'id = 3')->sole(), ['kg' => '33']);
        self::assertSame(2, AsideDesk::send($feed->load('route'), SetAside::where('feed_id', $feed->id)));
        $this->drain();
        self::assertSame('33', $this->house->value('SELECT kilos FROM copy.loads WHERE id = 3'));
        self::assertSame(['id = 10'], SetAside::waiting()->pluck('key')->all());
        $this->gate->run('DELETE FROM loads WHERE id = 10');
        $this->drain();
        self::assertSame(0, SetAside::waiting()->count());
        self::assertSame($this->gate->value('SELECT count(*) FROM loads'), $this->house->value('SELECT count(*) FROM copy.loads'));
        $this->assertRunsAddUp($feed);
        self::assertSame(4, (int) $feed->runs()->sum('set_aside') - 1);
    }

    #[Test]
    public function a_row_whose_first_version_waits_is_not_lost_when_a_change_says_only_a_part_of_it(): void
    {
        $feed = $this->treatedLog();
        $this->drain();
        // Stored apart, so that an update of another column does not say it.
        $this->gate->run("ALTER TABLE loads ALTER note SET STORAGE EXTERNAL; INSERT INTO loads (id, kg, note) VALUES (900, -1, repeat('long ', 4000))");
        $this->drain();
        self::assertSame(1, SetAside::waiting()->count());
        $this->gate->run('UPDATE loads SET kg = 9 WHERE id = 900');
        $this->drain();
        self::assertSame(['kilos' => '9', 'note' => bin2hex(sodium_crypto_generichash(str_repeat('long ', 4000), MaskKey::secretOf('default'), 16))], $this->house->row('SELECT kilos, note FROM copy.loads WHERE id = 900'));
        self::assertSame(0, SetAside::waiting()->count());
        $this->assertRunsAddUp($feed);
    }

    #[Test]
    public function a_row_that_gives_up_its_key_leaves_it_even_if_what_it_becomes_is_set_aside(): void
    {
        $feed = $this->treatedLog();
        $this->drain();
        $this->gate->run('UPDATE loads SET id = 901, kg = -1 WHERE id = 5');
        $this->drain();
        self::assertSame('0', $this->house->value('SELECT count(*) FROM copy.loads WHERE id IN (5, 901)'));
        self::assertSame(['id = 901'], SetAside::waiting()->pluck('key')->all());
        $this->assertRunsAddUp($feed);
    }

    #[Test]
    public function a_version_sent_again_takes_its_place_among_those_that_came_after_it(): void
    {
        $feed = $this->treatedLog(['landing' => Landing::Versions]);
        $this->drain();
        $this->gate->run('UPDATE loads SET kg = -5 WHERE id = 6');
        $this->gate->run('UPDATE loads SET kg = 77 WHERE id = 6');
        $this->drain();
        self::assertSame(['6', '77'], array_column($this->house->rows('SELECT kilos FROM copy.loads WHERE id = 6 ORDER BY valid_from'), 'kilos'));
        AsideDesk::edit(SetAside::waiting()->with('feed')->sole(), ['kg' => '5']);
        AsideDesk::send($feed->load('route'), SetAside::where('feed_id', $feed->id));
        $this->drain();
        self::assertSame([['6', 'f'], ['5', 'f'], ['77', 't']], array_map(array_values(...), $this->house->rows('SELECT kilos, is_current FROM copy.loads WHERE id = 6 ORDER BY source_position')));
        $this->assertRunsAddUp($feed);
    }

    #[Test]
    public function changes_that_satisfy_a_rule_are_counted_once_they_have_landed(): void
    {
        $feed = $this->logFeed('loads', ['treatment' => Treatment::fromArray(['watch' => [['name' => 'even', 'expression' => 'kg % 2 == 0']], 'failing' => 'stop'])]);
        $this->drain();
        $this->gate->run('UPDATE loads SET kg = 2 WHERE id <= 30; UPDATE loads SET kg = 3 WHERE id BETWEEN 31 AND 40; DELETE FROM loads WHERE id = 50');
        $this->drain();
        $told = WatchedRecords::of($feed)['even'];
        self::assertSame([540, 280], [$told->landed, $told->matched]);
        self::assertCount(6, $told->samples);
    }

    #[Test]
    public function what_waits_in_the_spool_is_not_in_clear_there_and_lands_treated(): void
    {
        $feed = $this->treatedLog();
        $this->drain();
        FeedBook::pause([$feed->refresh()]);
        $this->gate->run("UPDATE loads SET note = 'Zebedee Quill', kg = CASE WHEN id = 7 THEN -7 ELSE kg END WHERE id IN (7, 8)");
        $this->drain();
        self::assertSame(2, (int) DB::table('spool')->where('feed_id', $feed->id)->sum('changes'));
        self::assertSame(0, DB::table('spool')->whereRaw("position(convert_to('Quill', 'UTF8') IN body) > 0 OR substr(body, 1, 1) <> '\\x01'")->count());
        FeedBook::resume([$feed->refresh()]);
        $this->drain();
        self::assertSame(bin2hex(sodium_crypto_generichash('Zebedee Quill', MaskKey::secretOf('default'), 16)), $this->house->value('SELECT note FROM copy.loads WHERE id = 8'));
        self::assertSame(['id = 7'], SetAside::waiting()->pluck('key')->all());
        $this->assertRunsAddUp($feed);
    }

    #[Test]
    public function a_change_that_stops_the_feed_holds_up_no_other(): void
    {
        $this->gate->run('CREATE TABLE casks (id int PRIMARY KEY, kg int, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO casks VALUES (1, 1)');
        $feed = $this->logFeed('loads', ['treatment' => Treatment::fromArray(['checks' => [['check' => 'range', 'columns' => ['kg'], 'from' => '0', 'else' => 'stop']], 'failing' => 'stop'])]);
        $this->logFeed('casks');
        $this->drain();
        $this->gate->run('UPDATE loads SET kg = -1 WHERE id = 1; UPDATE casks SET kg = 2');
        $this->drain();
        self::assertSame('failed', $feed->refresh()->standing);
        self::assertStringContainsString('kg is "-1"', $feed->trouble->message);
        self::assertSame('2', $this->house->value('SELECT kg FROM copy.casks'));

        // What waits in the spool is treated too, and stops the feed again until the rule is another one.
        $this->gate->run('UPDATE casks SET kg = 3');
        FeedBook::resume([$feed]);
        $this->drain();
        self::assertSame(['failed', '3'], [$feed->refresh()->standing, $this->house->value('SELECT kg FROM copy.casks')]);
        FeedBook::change($feed->load('definition'), FeedDefinition::fromArray(['treatment' => ['checks' => [['check' => 'range', 'columns' => ['kg'], 'from' => '0', 'else' => 'set_aside']], 'failing' => 'stop']] + $feed->definition->body));
        FeedBook::resume([$feed->refresh()]);
        $this->drain();
        self::assertSame('carried', $feed->refresh()->standing);
        self::assertSame(['id = 1'], SetAside::waiting()->pluck('key')->all());
        $this->assertRunsAddUp($feed);
    }

    #[Test]
    public function a_lookup_that_does_not_answer_is_the_trouble_of_its_feed_alone(): void
    {
        $this->gate->run('CREATE TABLE casks (id int PRIMARY KEY, kg int, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO casks VALUES (1, 1)');
        $this->house->run("CREATE TABLE names (id int PRIMARY KEY, name text); INSERT INTO names SELECT g, 'n' || g FROM generate_series(1, 600) g");
        $feed = $this->logFeed('loads', ['treatment' => Treatment::fromArray(['columns' => [['from' => 'kg', 'as' => 'name', 'steps' => [['lookup' => 'public.names', 'system' => 'house', 'match' => 'id', 'take' => 'name', 'match_type' => 'int32', 'type' => 'text', 'age' => 1]]]], 'failing' => 'set_aside'])]);
        $this->logFeed('casks');
        $this->drain();
        self::assertSame('500', $this->house->value("SELECT count(*) FROM copy.loads WHERE name = 'n' || id"));
        $this->house->run('ALTER TABLE names RENAME TO gone');
        $this->gate->run('UPDATE loads SET kg = 501 WHERE id = 1; UPDATE casks SET kg = 2');
        $this->drain();
        self::assertSame(['failed', '2', 0], [$feed->refresh()->standing, $this->house->value('SELECT kg FROM copy.casks'), SetAside::count()]);
        $this->house->run('ALTER TABLE gone RENAME TO names');
        FeedBook::resume([$feed]);
        $this->drain();
        self::assertSame('n501', $this->house->value('SELECT name FROM copy.loads WHERE id = 1'));
    }
}
