<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\FeedBook;
use App\Models\Feed;
use App\Models\RouteLog;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\InvalidDefinition;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

/** People who drop, alter, attach, disable and write by hand on either side of feeds that follow changes. */
final class MeddlingTest extends LogRunnerCase
{
    /** Lands all there is, and looks after what was found amiss until nothing is. */
    private function settle(): void
    {
        foreach (RouteLog::orderBy('id')->get() as $log) {
            // What is found amiss when a reading begins is loaded by the end of it, or of the next.
            for ($times = 0; $times < 4 && ($times < 2 || Feed::whereNotNull('reload')->orWhereNotNull('rereads')->exists()); $times++) {
                $this->drain(log: $log);
            }
        }
    }

    private function refreshed(Feed $feed): Feed
    {
        return Feed::with('route.source', 'route.target', 'route.logs', 'definition')->findOrFail($feed->id);
    }

    #[Test]
    #[TestWith([Capture::Log])]
    #[TestWith([Capture::Trigger])]
    public function the_spool_of_one_capture_is_left_alone_by_the_reader_of_another(Capture $kept): void
    {
        $feeds = [Capture::Log->value => $this->logFeed(more: ['name' => 'by log']), Capture::Trigger->value => $this->triggerFeed(['name' => 'by trigger'])];
        $logs = RouteLog::pluck('id', 'capture')->map(static fn (int $id): RouteLog => RouteLog::findOrFail($id));
        $logs->each(fn (RouteLog $log) => $this->drain(log: $log));
        FeedBook::pause([$feeds[$kept->value]]);
        $this->gate->run('UPDATE loads SET kg = -1 WHERE id IN (7, 8, 9)');
        $this->gate->run('INSERT INTO loads VALUES (9001, 1); DELETE FROM loads WHERE id = 10');
        $this->drain(log: $logs[$kept->value]);
        $this->drain(log: $logs[$kept === Capture::Log ? 'trigger' : 'log']);
        self::assertSame(5, $feeds[$kept->value]->refresh()->waiting);
        FeedBook::resume([$feeds[$kept->value]]);
        $logs->each(fn (RouteLog $log) => $this->drain(log: $log));
        $this->assertCopied(copy: '"by log"');
        $this->assertCopied(copy: '"by trigger"');
    }

    #[Test]
    public function a_row_moved_below_a_running_load_is_not_lost_in_the_spool(): void
    {
        $this->gate->run("CREATE TABLE papers (id int PRIMARY KEY, state text, paper text); ALTER TABLE papers ALTER paper SET STORAGE EXTERNAL; INSERT INTO papers SELECT g, 'new', repeat(g::text, 1500) FROM generate_series(1, 5000) g");
        $feed = $this->logFeed('papers');
        $step = 0;
        $this->drain(function () use (&$step, $feed): void {
            $loaded = $step > 0 || $this->house->value("SELECT to_regclass('copy.papers')") === null ? 0 : (int) $this->house->value('SELECT max(id) FROM copy.papers');
            if ($loaded > 0 && $loaded < 4500) {
                $step = 1;
                FeedBook::pause([$feed]);
            } elseif ($step === 1 && $feed->refresh()->paused_at !== null) {
                $step = 2;
                // Read from the log while the feed is paused, so that it goes through the spool.
                $this->gate->run('SELECT pg_sleep(1.2)');
                $this->gate->run('UPDATE papers SET id = -5 WHERE id = 4999');
            }
        });
        self::assertSame(2, $step);
        FeedBook::resume([$feed]);
        $this->settle();
        $this->assertCopied('papers', 'papers', 'id, state, md5(paper)');
        self::assertNull($feed->refresh()->rereads);
        self::assertSame('on time', $this->refreshed($feed)->state());
    }

    #[Test]
    #[TestWith([Capture::Log, 'upsert'])]
    #[TestWith([Capture::Log, 'versions'])]
    #[TestWith([Capture::Trigger, 'upsert'])]
    #[TestWith([Capture::Trigger, 'versions'])]
    public function rows_that_share_a_key_within_a_transaction_are_told_apart(Capture $capture, string $landing): void
    {
        $this->gate->run('CREATE TABLE slots (id int PRIMARY KEY DEFERRABLE INITIALLY DEFERRED, v text); ALTER TABLE slots REPLICA IDENTITY FULL; INSERT INTO slots SELECT g, g::text FROM generate_series(1, 100) g');
        $this->logFeed('slots', ['capture' => $capture, 'landing' => Landing::from($landing)]);
        $this->drain();
        $copy = $landing === 'versions' ? 'slots WHERE is_current' : 'slots';
        foreach ([
            'UPDATE slots SET id = id + 1 WHERE id >= 50; UPDATE slots SET id = 3 - id WHERE id IN (1, 2)',
            "BEGIN; INSERT INTO slots VALUES (10, 'new ten'); DELETE FROM slots WHERE id = 10 AND v = '10'; COMMIT",
            "BEGIN; UPDATE slots SET id = 21 WHERE id = 20; UPDATE slots SET v = 'changed', id = 20 WHERE id = 21 AND v = '21'; COMMIT",
            "BEGIN; UPDATE slots SET id = 31 WHERE id = 30; UPDATE slots SET id = 32 WHERE id = 31 AND v = '30'; DELETE FROM slots WHERE id = 32 AND v = '30'; COMMIT",
            "BEGIN; INSERT INTO slots VALUES (41, 'guest'); UPDATE slots SET v = 'host' WHERE id = 41 AND v = '41'; DELETE FROM slots WHERE v = 'guest'; COMMIT",
        ] as $sql) {
            $this->gate->run($sql);
            $this->drain();
            $this->assertCopied('slots', $copy, 'id, v');
        }
    }

    #[Test]
    #[TestWith([Capture::Log])]
    #[TestWith([Capture::Trigger])]
    #[TestWith([Capture::Watermark])]
    public function an_older_state_of_the_target_that_was_put_back_is_noticed_and_brought_up(Capture $capture): void
    {
        $this->gate->run('ALTER TABLE loads REPLICA IDENTITY FULL');
        $feed = $capture !== Capture::Watermark ? $this->logFeed('loads', ['capture' => $capture]) : $this->feed(['landed' => new TableName('copy', 'loads')]);
        $carry = function () use ($feed): void {
            $feed->bringsChanges() ? $this->settle() : $this->carry($feed->refresh());
        };
        $carry();
        $this->house->run('CREATE SCHEMA was; CREATE TABLE was.loads AS TABLE copy.loads; CREATE TABLE was.position AS TABLE lighterman.position; CREATE TABLE was.receipt AS TABLE lighterman.receipt');
        $this->gate->run('UPDATE loads SET kg = -7, updated_at = clock_timestamp() WHERE id BETWEEN 10 AND 20; INSERT INTO loads (id, kg, updated_at) VALUES (9001, 1, clock_timestamp())');
        usleep(700_000);
        $carry();
        $this->assertCopied();
        $landed = $feed->refresh()->sequence;
        // What a backup that is put back does.
        $this->house->run('BEGIN; TRUNCATE lighterman.position, lighterman.receipt; INSERT INTO lighterman.position TABLE was.position; INSERT INTO lighterman.receipt TABLE was.receipt; DELETE FROM copy.loads; INSERT INTO copy.loads TABLE was.loads; COMMIT');
        config(['lighterman.gap_seconds' => 0]);
        $carry();
        $carry();
        $this->assertCopied();
        self::assertSame('on time', $this->refreshed($feed)->state());
        self::assertGreaterThanOrEqual($landed, $feed->refresh()->sequence);
        self::assertSame((int) $this->house->value('SELECT max(sequence) FROM lighterman.receipt'), $feed->sequence);
        self::assertSame((int) $feed->receipts()->count(), (int) $this->house->value("SELECT count(*) FROM lighterman.receipt WHERE feed = '{$feed->uid}'"));
    }

    #[Test]
    #[TestWith([Capture::Log])]
    #[TestWith([Capture::Trigger])]
    public function a_column_that_is_absent_in_the_middle_of_a_transaction_lands_with_its_own_value(Capture $capture): void
    {
        $this->gate->run('CREATE TABLE t (id int PRIMARY KEY, a int, b text); INSERT INTO t SELECT g, g, g::text FROM generate_series(1, 20) g');
        $feed = $this->logFeed('t', ['capture' => $capture]);
        $this->drain();
        foreach ([
            "BEGIN; ALTER TABLE t RENAME a TO aa; INSERT INTO t VALUES (5002, 777, 'mid'); UPDATE t SET aa = 888 WHERE id = 3; ALTER TABLE t RENAME aa TO a; COMMIT",
            "BEGIN; ALTER TABLE t DROP a; INSERT INTO t VALUES (5003, 'without'); ALTER TABLE t ADD a int DEFAULT 4; COMMIT",
            "BEGIN; UPDATE t SET b = 'first' WHERE id = 6; ALTER TABLE t DROP a; ALTER TABLE t ADD a int; UPDATE t SET a = 55 WHERE id = 6; COMMIT",
            'BEGIN; ALTER TABLE t RENAME id TO nr; UPDATE t SET a = 9 WHERE nr = 7; ALTER TABLE t RENAME nr TO id; COMMIT',
        ] as $n => $sql) {
            $this->gate->run($sql);
            $this->settle();
            $this->assertCopied('t', 't', 'id, a, b');
            self::assertSame('on time', $this->refreshed($feed)->state(), "after {$n}");
        }
    }

    #[Test]
    #[TestWith([Capture::Log])]
    #[TestWith([Capture::Trigger])]
    public function a_landed_table_that_was_dropped_emptied_or_altered_is_never_taken_for_the_copy(Capture $capture): void
    {
        $feed = $this->logFeed(more: ['capture' => $capture]);
        $other = $this->logFeed(more: ['name' => 'other', 'capture' => $capture]);
        $this->drain();
        foreach ([
            'DROP TABLE copy.loads' => 'landed_gone',
            'CREATE TABLE copy.new (LIKE copy.loads INCLUDING ALL); DROP TABLE copy.loads; ALTER TABLE copy.new RENAME TO loads' => 'landed_replaced',
            'TRUNCATE copy.loads' => 'landed_emptied',
            'ALTER TABLE copy.loads DROP kg; ALTER TABLE copy.loads ADD kg int' => 'landed_column',
        ] as $sql => $reason) {
            foreach (['with a change', 'at a start'] as $when) {
                $this->house->run($sql);
                $when === 'at a start' || $this->gate->run('UPDATE loads SET kg = kg + 1 WHERE id = 1');
                $this->settle();
                self::assertSame(['failed', $reason], [$feed->refresh()->standing, $feed->trouble?->reason?->value], "{$sql} {$when}");
                self::assertSame('on time', $this->refreshed($other)->state());
                FeedBook::resume([$feed]);
                $this->settle();
                self::assertSame(['failed', $reason], [$feed->refresh()->standing, $feed->trouble?->reason?->value], 'resuming alone does not make it right');
                FeedBook::reload($this->refreshed($feed), Slice::whole());
                self::assertSame('loading', $this->refreshed($feed)->state());
                $this->settle();
                $this->assertCopied();
                self::assertSame('on time', $this->refreshed($feed)->state());
            }
        }
        $this->house->run('VACUUM FULL copy.loads');
        $this->gate->run('UPDATE loads SET kg = 2 WHERE id = 2');
        $this->settle();
        $this->assertCopied();
        self::assertSame('on time', $this->refreshed($feed)->state(), 'rows that were only written anew are still there');
    }

    #[Test]
    #[TestWith([Capture::Log, true])]
    #[TestWith([Capture::Log, false])]
    #[TestWith([Capture::Trigger, true])]
    public function a_landed_table_that_is_gone_is_made_anew_while_the_stream_goes_on_being_read(Capture $capture, bool $alone): void
    {
        config(['lighterman.gap_seconds' => 1]);
        $feed = $this->logFeed(more: ['capture' => $capture]);
        $alone || $this->logFeed(more: ['name' => 'other', 'capture' => $capture]);
        $this->drain();
        $whole = fn (): bool => $this->refreshed($feed)->state() === 'on time' && $feed->reload === null && $this->house->value('SELECT count(*) FROM copy.loads') === '500';
        $gone = static fn (int $times): callable => static fn (): bool => $feed->refresh()->standing === 'failed' && ($feed->trouble?->reason?->value) === 'landed_gone' && $feed->runs()->where('state', 'failed')->count() === $times;
        $steps = [];
        foreach (['SELECT 1', 'UPDATE loads SET kg = kg + 1 WHERE id = 1'] as $n => $change) {
            array_push($steps, [fn () => [$this->house->run('DROP TABLE copy.loads'), $this->gate->run($change)], $gone(2 * $n + 1)],
                [static fn () => FeedBook::resume([$feed->refresh()]), $gone(2 * $n + 2)], [fn () => FeedBook::reload($this->refreshed($feed), Slice::whole()), $whole]);
        }
        $done = 0;
        $until = microtime(true) + 90;
        $steps[0][0]();
        $this->readUntil(static function () use (&$steps, &$done, $until): bool {
            if (microtime(true) < $until && $steps[0][1]()) {
                array_shift($steps);
                $done++;
                $steps === [] || $steps[0][0]();
            }

            return $steps === [] || microtime(true) > $until;
        });
        self::assertSame(6, $done, 'it stands at '.json_encode([$feed->refresh()->standing, $feed->trouble, $feed->reload]));
        $this->assertCopied();
    }

    #[Test]
    #[TestWith([Capture::Log, Landing::Upsert])]
    #[TestWith([Capture::Log, Landing::Versions])]
    #[TestWith([Capture::Trigger, Landing::Upsert])]
    public function changes_of_an_earlier_table_of_the_same_name_do_not_come_into_a_first_load(Capture $capture, Landing $landing): void
    {
        $this->logFeed(more: ['capture' => $capture]);
        $this->drain();
        $this->gate->run('INSERT INTO loads SELECT g, g FROM generate_series(9001, 9020) g; UPDATE loads SET kg = 4 WHERE id = 4');
        $this->gate->run('DROP TABLE loads; CREATE TABLE public.loads (id int PRIMARY KEY, kg int, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO loads SELECT g, g FROM generate_series(1, 3) g');
        $new = $this->logFeed(more: ['capture' => $capture, 'name' => 'new', 'landing' => $landing]);
        $this->settle();
        self::assertSame('on time', $this->refreshed($new)->state());
        $current = $landing === Landing::Versions ? ' WHERE is_current' : '';
        self::assertSame($this->gate->rows('SELECT id, kg FROM loads ORDER BY id'), $this->house->rows("SELECT id, kg FROM copy.new{$current} ORDER BY id"));
    }

    #[Test]
    #[TestWith([Capture::Log])]
    #[TestWith([Capture::Trigger])]
    public function partitions_that_come_and_go_with_their_rows_are_noticed(Capture $capture): void
    {
        $this->gate->run('CREATE TABLE parted (id int PRIMARY KEY, v text) PARTITION BY RANGE (id); CREATE TABLE p1 PARTITION OF parted FOR VALUES FROM (0) TO (1000); CREATE TABLE p2 PARTITION OF parted FOR VALUES FROM (1000) TO (2000);
            INSERT INTO parted SELECT g, g::text FROM generate_series(1, 1500) g; CREATE TABLE p3 (id int PRIMARY KEY, v text); INSERT INTO p3 SELECT g, g::text FROM generate_series(2000, 2099) g');
        $feed = $this->logFeed('parted', ['capture' => $capture]);
        $this->drain();
        foreach (['ALTER TABLE parted ATTACH PARTITION p3 FOR VALUES FROM (2000) TO (3000)', 'ALTER TABLE parted DETACH PARTITION p2', 'TRUNCATE p3', 'DROP TABLE p3',
            'CREATE TABLE p5 (LIKE parted INCLUDING ALL); INSERT INTO p5 SELECT g, g::text FROM generate_series(5000, 5049) g; ALTER TABLE parted ATTACH PARTITION p5 FOR VALUES FROM (5000) TO (6000)',
            "CREATE TABLE p6 AS SELECT 6001 AS id, 'x'::text AS v; ALTER TABLE p6 ADD PRIMARY KEY (id); ALTER TABLE parted ATTACH PARTITION p6 FOR VALUES FROM (6000) TO (7000)"] as $sql) {
            $this->gate->run($sql);
            $this->settle();
            $this->assertCopied('parted', 'parted', 'id, v');
            self::assertSame('on time', $this->refreshed($feed)->state(), $sql);
        }
        $runs = fn (): int => $feed->runs()->where('kind', 'log load')->count();
        $before = $runs();
        $this->gate->run("CREATE TABLE public.p4 PARTITION OF parted FOR VALUES FROM (4000) TO (5000); INSERT INTO parted VALUES (4001, 'x')");
        $this->settle();
        $this->assertCopied('parted', 'parted', 'id, v');
        self::assertSame($before, $runs(), 'a partition made as such brings nothing of its own');
    }

    #[Test]
    public function what_is_done_to_the_recording_is_noticed_though_it_was_undone(): void
    {
        $feed = $this->logFeed();
        $this->drain();
        $publication = '"'.RouteLog::sole()->names['publication'].'"';
        foreach ([
            "ALTER PUBLICATION {$publication} SET (publish = 'insert, update'); DELETE FROM loads WHERE id = 1; ALTER PUBLICATION {$publication} SET (publish = 'insert, update, delete, truncate')",
            "ALTER PUBLICATION {$publication} SET (publish = 'insert, update'); DELETE FROM loads WHERE id = 2",
            "ALTER PUBLICATION {$publication} DROP TABLE loads; UPDATE loads SET kg = 9 WHERE id = 3; ALTER PUBLICATION {$publication} ADD TABLE loads",
            "ALTER PUBLICATION {$publication} SET TABLE loads WHERE (id > 100); UPDATE loads SET kg = 10 WHERE id = 5",
            "ALTER PUBLICATION {$publication} SET (publish_via_partition_root = false)",
            'CREATE TABLE loads2 AS TABLE loads; DROP TABLE loads; ALTER TABLE loads2 RENAME TO loads; ALTER TABLE loads ADD PRIMARY KEY (id), ALTER updated_at SET NOT NULL; UPDATE loads SET kg = 11 WHERE id = 6',
        ] as $sql) {
            $this->gate->run($sql);
            $this->settle();
            $this->assertCopied();
            self::assertSame('on time', $this->refreshed($feed)->state(), $sql);
        }
    }

    #[Test]
    public function triggers_that_were_disabled_for_a_moment_or_do_not_fire_are_seen_through(): void
    {
        $feed = $this->triggerFeed();
        $this->drain();
        foreach ([
            'ALTER TABLE loads DISABLE TRIGGER ALL; UPDATE loads SET kg = 9 WHERE id = 3; DELETE FROM loads WHERE id = 4; ALTER TABLE loads ENABLE TRIGGER ALL',
            'ALTER TABLE loads DISABLE TRIGGER ALL; UPDATE loads SET kg = 10 WHERE id = 3',
            'SET session_replication_role = replica; UPDATE loads SET kg = 11 WHERE id = 5; SET session_replication_role = origin',
            'DROP TABLE loads; CREATE TABLE public.loads (id int PRIMARY KEY, kg int, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO loads VALUES (1, 1)',
        ] as $sql) {
            $this->gate->run($sql);
            $this->settle();
            $this->assertCopied();
            self::assertSame('on time', $this->refreshed($feed)->state(), $sql);
        }
    }

    #[Test]
    public function a_trigger_that_was_disabled_on_one_partition_is_seen(): void
    {
        $this->gate->run('CREATE TABLE parted (id int PRIMARY KEY, v text) PARTITION BY RANGE (id); CREATE TABLE p1 PARTITION OF parted FOR VALUES FROM (0) TO (1000); CREATE TABLE p2 PARTITION OF parted FOR VALUES FROM (1000) TO (2000);
            INSERT INTO parted SELECT g, g::text FROM generate_series(1, 1500) g');
        $feed = $this->logFeed('parted', ['capture' => Capture::Trigger]);
        $this->drain();
        $this->gate->run("ALTER TABLE p2 DISABLE TRIGGER ALL; UPDATE parted SET v = 'unseen' WHERE id > 1400");
        $this->settle();
        $this->assertCopied('parted', 'parted', 'id, v');
        self::assertSame('on time', $this->refreshed($feed)->state());
        $this->gate->run("UPDATE parted SET v = 'seen' WHERE id > 1400");
        $this->drain();
        $this->assertCopied('parted', 'parted', 'id, v');
    }

    #[Test]
    #[TestWith([Capture::Log])]
    #[TestWith([Capture::Trigger])]
    public function a_table_with_heirs_is_refused_and_one_that_gets_some_fails(Capture $capture): void
    {
        $this->gate->run('CREATE TABLE inh (id int PRIMARY KEY); CREATE TABLE heir () INHERITS (inh)');
        $feed = $this->logFeed('inh', ['capture' => $capture]);
        $other = $this->logFeed(more: ['capture' => $capture]);
        $this->drain();
        self::assertStringContainsString('heir', $feed->refresh()->trouble->message);
        self::assertSame(['failed', 'on time'], [$feed->standing, $this->refreshed($other)->state()]);
        $this->gate->run('DROP TABLE heir');
        FeedBook::resume([$feed]);
        $this->settle();
        self::assertSame('on time', $this->refreshed($feed)->state());
        $this->gate->run('CREATE TABLE public.heir () INHERITS (inh); INSERT INTO heir VALUES (7)');
        $this->settle();
        self::assertSame('failed', $feed->refresh()->standing);
    }

    #[Test]
    #[TestWith([Capture::Log])]
    #[TestWith([Capture::Trigger])]
    public function a_dropped_source_table_is_the_trouble_of_its_own_feed_and_heals_when_it_is_back(Capture $capture): void
    {
        $this->gate->run('CREATE TABLE bands (id int PRIMARY KEY, price int); INSERT INTO bands VALUES (1, 1)');
        $feed = $this->logFeed(more: ['capture' => $capture]);
        $bands = $this->logFeed('bands', ['capture' => $capture]);
        $this->drain();
        $this->gate->run('DROP TABLE bands');
        $this->gate->run('UPDATE loads SET kg = kg + 1');
        $this->settle();
        $this->assertCopied();
        self::assertSame(['failed', 'on time', 'reading'], [$bands->refresh()->standing, $this->refreshed($feed)->state(), RouteLog::sole()->standing]);
        self::assertStringContainsString('no table public.bands', $bands->trouble->message);
        $this->gate->run('CREATE TABLE public.bands (id int PRIMARY KEY, price int); INSERT INTO bands VALUES (2, 2)');
        DB::table('feeds')->where('id', $bands->id)->update(['due_at' => now()->subSecond()]);
        $this->settle();
        $this->assertCopied('bands', 'bands', 'id, price');
        self::assertSame('on time', $this->refreshed($bands)->state());
    }

    #[Test]
    public function loads_again_are_checked_before_anything_is_asked_of_the_source(): void
    {
        $feed = $this->logFeed();
        $this->drain();
        foreach ([Slice::range(['abc'], null), Slice::range(null, ['1', '2']), Slice::keys([['x']]), Slice::between('nothing', '1', null), Slice::between('updated_at', 'yesterday', null), Slice::range(['99999999999'], null)] as $slice) {
            try {
                FeedBook::reload($this->refreshed($feed), $slice);
                self::fail("{$slice} was accepted");
            } catch (InvalidDefinition $wrong) {
                self::assertNotSame('', $wrong->remedy()->said);
            }
        }
        self::assertSame([null, null], [$feed->refresh()->reload, $feed->rereads]);
        $this->house->run('UPDATE copy.loads SET kg = -1 WHERE id IN (5, 6, 7); DELETE FROM copy.loads WHERE id = 6; INSERT INTO copy.loads VALUES (7777, 1, now())');
        FeedBook::reload($this->refreshed($feed), Slice::keys([['5'], ['6'], ['7'], ['7777']]));
        $this->settle();
        $this->assertCopied();
        $this->house->run('UPDATE copy.loads SET kg = -1 WHERE kg BETWEEN 100 AND 110');
        FeedBook::reload($this->refreshed($feed), Slice::between('kg', '100', '110'));
        $this->settle();
        $this->assertCopied();
    }

    #[Test]
    #[TestWith([Capture::Log])]
    #[TestWith([Capture::Trigger])]
    public function a_journal_begun_under_traffic_tells_nothing_twice(Capture $capture): void
    {
        $this->gate->run('CREATE TABLE busy (id text PRIMARY KEY, n int); INSERT INTO busy SELECT md5(g::text), 0 FROM generate_series(1, 6000) g');
        $this->logFeed('busy', ['capture' => $capture, 'landing' => Landing::Append]);
        $n = 0;
        $this->drain(function () use (&$n): void {
            if ($n++ < 150) {
                $this->gate->run("INSERT INTO busy VALUES (md5('new {$n}'), 1); UPDATE busy SET n = n + 1 WHERE id = (SELECT id FROM busy OFFSET ".(37 * $n % 5000).' LIMIT 1); DELETE FROM busy WHERE id = (SELECT id FROM busy OFFSET '.(91 * $n % 5000)." LIMIT 1); UPDATE busy SET id = md5('moved {$n}') WHERE id = (SELECT id FROM busy OFFSET ".(53 * $n % 5000).' LIMIT 1)');
            }
        });
        self::assertGreaterThan(150, $n);
        $this->drain();
        $living = "SELECT coalesce(sum(CASE WHEN change_kind IN ('load', 'insert') THEN 1 WHEN change_kind = 'delete' THEN -1 ELSE 0 END), 0) FROM copy.busy";
        self::assertSame($this->gate->value('SELECT count(*) FROM busy'), $this->house->value($living));
        self::assertSame('0', $this->house->value("SELECT count(*) FROM (SELECT id FROM copy.busy WHERE change_kind IN ('load', 'insert') GROUP BY id HAVING count(*) > 1) d"), 'no row begins twice');
        // Entry by entry: every row that is there is the last that the journal tells of its key.
        $last = "SELECT id, n FROM (SELECT DISTINCT ON (id) id, n, change_kind FROM (SELECT id, n, change_kind, source_position FROM copy.busy UNION ALL SELECT row_before->>'id', NULL, 'delete', source_position FROM copy.busy WHERE change_kind = 'update' AND row_before->>'id' <> id) e ORDER BY id, source_position DESC) l WHERE change_kind <> 'delete' ORDER BY 1";
        self::assertSame($this->gate->rows('SELECT id, n FROM busy ORDER BY id COLLATE "C"'), $this->house->rows(str_replace('ORDER BY 1', 'ORDER BY id COLLATE "C"', $last)));
    }

    #[Test]
    #[TestWith([Capture::Log])]
    #[TestWith([Capture::Trigger])]
    public function a_pause_takes_effect_under_steady_traffic_and_so_does_resuming(Capture $capture): void
    {
        $feed = $this->logFeed(more: ['capture' => $capture]);
        $this->drain();
        $paused = $seen = $resumed = $gone = null;
        $begun = microtime(true);
        $last = 0.0;
        $this->readUntil(function () use ($feed, $begun, &$last, &$paused, &$seen, &$resumed, &$gone): bool {
            if (microtime(true) - $last > 0.05) {
                $last = microtime(true);
                $this->gate->run('UPDATE loads SET kg = kg + 1 WHERE id = 1');
            }
            if ($paused === null && microtime(true) - $begun > 4) {
                self::assertLessThan(2.5, now()->diffInSeconds($feed->refresh()->complete_up_to, true), 'the copy is known to be complete');
                FeedBook::pause([$feed]);
                $paused = microtime(true);
            }
            if ($paused !== null && $seen === null && DB::table('spool')->exists()) {
                $seen = microtime(true) - $paused;
                FeedBook::resume([$feed->refresh()]);
                $resumed = microtime(true);
            }
            if ($resumed !== null && $gone === null && ! DB::table('spool')->exists() && $this->house->value('SELECT kg FROM copy.loads WHERE id = 1') > 20) {
                $gone = microtime(true) - $resumed;
            }

            return $gone !== null || microtime(true) - $begun > 20;
        });
        self::assertNotNull($seen);
        self::assertLessThan(3.0, $seen);
        self::assertNotNull($gone);
        self::assertLessThan(3.0, $gone);
        $this->drain();
        $this->assertCopied();
    }

    #[Test]
    public function a_column_that_is_dropped_while_the_log_tells_of_the_time_before_holds_its_feed(): void
    {
        $this->gate->run('CREATE TABLE public.vats (id int PRIMARY KEY, level int, label text); INSERT INTO vats SELECT g, 0 FROM generate_series(1, 50) g');
        $feed = $this->logFeed('vats');
        $this->drain();
        // A load keeps the reader reading.
        $this->gate->run('CREATE TABLE papers (id int PRIMARY KEY, paper text); ALTER TABLE papers ALTER paper SET STORAGE EXTERNAL; INSERT INTO papers SELECT g, repeat(g::text, 3000) FROM generate_series(1, 3000) g');
        $this->logFeed('papers');
        $done = false;
        $this->drain(function () use (&$done): void {
            if (! $done && $this->house->value("SELECT to_regclass('copy.papers')") !== null && (int) $this->house->value('SELECT max(id) FROM copy.papers') > 0) {
                $done = true;
                // The log describes the table twice, the second time when the catalogue has the last alteration already.
                $this->gate->run('UPDATE vats SET level = 1 WHERE id = 1');
                $this->gate->run('ALTER TABLE vats ADD passing int; ALTER TABLE vats DROP passing');
                $this->gate->run('UPDATE vats SET level = 2 WHERE id = 2');
                $this->gate->run('BEGIN; UPDATE vats SET level = 3 WHERE id = 3; ALTER TABLE vats DROP label; COMMIT');
            }
        });
        self::assertSame('held', $feed->refresh()->standing);
        self::assertStringContainsString('label is gone', $feed->trouble->message);
    }
}
