<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\Books;
use App\Feeds\FeedBook;
use App\Models\Feed;
use App\Models\Run;
use App\Models\SetAside;
use App\Models\System;
use App\Pages\ResultChart;
use App\Runtime\Common\FileJoining;
use App\Runtime\Common\Systems;
use App\Runtime\Query\FeedRunner;
use App\Runtime\Work\Leases;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Partition;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Port\QueryResult;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Tests\Definition\Definitions;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Trouble\LandedTrouble;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

final class LakeFeedTest extends LakeCase
{
    protected function setUp(): void
    {
        parent::setUp();
        $this->target = $this->lake;
    }

    private function lastRun(Feed $feed): Run
    {
        return Run::findOrFail($feed->refresh()->last_run_id);
    }

    #[Test]
    public function a_feed_lands_in_the_lake_with_treatments_set_aside_records_and_receipts(): void
    {
        $feed = $this->carry($this->feed(['partitionBy' => Partition::all(['band']), 'treatment' => Treatment::fromArray(['failing' => 'set_aside', 'columns' => [['as' => 'band', 'steps' => [['derive' => 'kg % 3']]]], 'checks' => [['check' => 'range', 'columns' => ['kg'], 'to' => '490', 'else' => 'set_aside']]])]));
        $run = $this->lastRun($feed);
        self::assertSame([500, 490, 10, 1, true], [$run->read, $run->inserted, $run->set_aside, $run->batches, $run->addsUp()]);
        self::assertSame([['0', '163'], ['1', '164'], ['2', '163']], $this->inLake('SELECT band, count(*) FROM copy.loads GROUP BY 1 ORDER BY 1'));
        self::assertSame([1, 10], [$feed->sequence, SetAside::waiting()->count()]);
        self::assertSame('on time', $feed->state());

        $this->gate->run('UPDATE loads SET kg = 7, updated_at = clock_timestamp() WHERE id IN (1, 495)');
        usleep(600_000);
        $feed = $this->carry($feed);
        self::assertSame([['1', '7', '1'], ['495', '7', '1']], $this->inLake('SELECT id, kg, band FROM copy.loads WHERE kg = 7 AND id <> 7 ORDER BY id'));
        self::assertSame([1, 1, 9], [$this->lastRun($feed)->inserted, $this->lastRun($feed)->updated, SetAside::waiting()->whereNull('overtaken_by')->count()]);

        // Nothing of an increment may be left to land.
        $files = glob("{$this->path}/copy/loads/*/*.parquet") ?: [];
        $this->gate->run('UPDATE loads SET kg = 999, updated_at = clock_timestamp() WHERE id IN (2, 3)');
        usleep(600_000);
        $feed = $this->carry($feed);
        self::assertSame([2, 0, 2, true, 'on time'], [$this->lastRun($feed)->read, $this->lastRun($feed)->inserted, $this->lastRun($feed)->set_aside, $this->lastRun($feed)->addsUp(), $feed->state()]);
        self::assertSame($files, glob("{$this->path}/copy/loads/*/*.parquet") ?: []);
    }

    #[Test]
    public function a_column_that_got_another_name_at_the_source_is_not_agreed_to_where_files_have_the_old_one(): void
    {
        $feed = $this->carry($this->feed());
        $this->gate->run('ALTER TABLE loads RENAME kg TO kilos');
        $feed = $this->carry($feed);
        self::assertSame('held', $feed->standing);
        $feed = Feed::with('route.source', 'route.target', 'definition')->findOrFail($feed->id);
        try {
            FeedBook::agreeToPresent($feed, app(Systems::class));
            self::fail('It was agreed to.');
        } catch (LandedTrouble $trouble) {
            self::assertStringContainsString('files of copy.loads have kg, and none of kilos', $trouble->getMessage());
        }
        $this->gate->run('ALTER TABLE loads RENAME kilos TO kg; UPDATE loads SET kg = 1, updated_at = clock_timestamp() WHERE id = 3');
        usleep(700_000);
        FeedBook::resume([$feed->refresh()]);
        self::assertSame('on time', $this->carry($feed->refresh())->state());
        self::assertSame([['500', '1']], $this->inLake('SELECT count(kg), min(kg) FILTER (WHERE id = 3) FROM copy.loads'));
    }

    #[Test]
    public function a_table_of_very_many_columns_lands_and_names_that_differ_by_case_are_refused_before(): void
    {
        $this->gate->run('CREATE TABLE wide (id int PRIMARY KEY, '.implode(', ', array_map(static fn (int $n): string => "c{$n} int", range(1, 1590))).'); INSERT INTO wide SELECT g FROM generate_series(1, 50) g; CREATE TABLE cased (id int PRIMARY KEY, "Name" text, name text)');
        $definition = fn (string $name): FeedDefinition => Definitions::of($name, $table = new TableName('public', $name), app(Systems::class)->source($this->source)->shape($table), Capture::Reload, ['id'], Landing::Upsert, new TableName('copy', $name));
        $feed = $this->carry(FeedBook::create($this->source, $this->lake, [$definition('wide')])[0]);
        self::assertStringContainsString('LIGHTERMAN_LAKE_MEMORY_MB', $feed->trouble->remedy->said ?? '', 'what it takes is said');
        config(['lighterman.lake.memory_mb' => 320]);
        app(Systems::class)->forget();
        self::assertNull($this->carry($feed)->trouble);
        self::assertSame([['50']], $this->inLake('SELECT count(*) FROM copy.wide'));
        $obstacles = app(Systems::class)->target($this->lake)->prepare($definition('cased')->landedTable())->obstacles();
        self::assertStringContainsString('the columns Name and name, which files of a lake cannot tell apart', implode(' ', array_map(static fn (Finding $f): string => $f->said, $obstacles)));
    }

    #[Test]
    public function the_landed_page_counts_files_and_compares_a_row_and_a_query_is_drawn(): void
    {
        $this->carry($this->feed(['partitionBy' => Partition::all(['day(updated_at)'])]));
        $this->actingAs($this->engineer());
        $page = (string) $this->get('/landed/loads?count=1&key[id]=77')->assertOk()->getContent();
        self::assertMatchesRegularExpression('/<b>500<\/b> rows in <b>1 file<\/b>,.*updated_at_day=\d{4}-\d\d-\d\d/s', $page);
        self::assertStringContainsString('the same number', $page);
        self::assertStringNotContainsString('class="differs"', $page);
        $page = (string) $this->post('/landed/sql', ['target' => 'lake', 'sql' => 'SELECT id % 5 AS fifth, count(*) AS n FROM copy.loads GROUP BY 1 ORDER BY 1'])->assertOk()->getContent();
        self::assertSame(5, substr_count($page, ': 100</title>'));
        self::assertStringContainsString('n by fifth, 5 values', $page);
        $page = (string) $this->post('/landed/sql', ['target' => 'lake', 'sql' => "SELECT * FROM read_text('/etc/passwd')"])->getContent();
        self::assertStringContainsString('read_text may read anything', $page);
    }

    #[Test]
    public function what_a_lake_does_not_take_is_said_where_it_is_chosen(): void
    {
        $this->actingAs($this->engineer());
        $page = (string) $this->post('/feeds/new/grid', ['source' => 'gate', 'target' => 'lake', 'tables' => ['public.loads']])->assertOk()->getContent();
        self::assertStringContainsString('Partitions', $page);
        self::assertDoesNotMatchRegularExpression('/<option[^>]*>(log|trigger)<\/option>.*data-line/s', substr($page, (int) strpos($page, 'data-line')));
        $this->post('/systems', ['kind' => 'lake', 'name' => 'another', 'path' => 'relative/path'])->assertSessionHasErrors('path');
        self::assertNull(System::where('name', 'another')->first());
        $this->expectExceptionMessage('does not name a partition');
        Partition::all(['week(updated_at)']);
    }

    #[Test]
    public function a_reload_replaces_the_tables_files_and_an_increment_without_change_makes_none(): void
    {
        $feed = $this->carry($this->feed(['landing' => Landing::Upsert, 'overlap' => 200_000]));
        $files = glob("{$this->path}/copy/loads/*.parquet") ?: [];
        $this->carry($feed);
        self::assertSame([500, $files], [$this->lastRun($feed)->unchanged, glob("{$this->path}/copy/loads/*.parquet") ?: []]);
    }

    #[Test]
    public function small_files_are_joined_when_asked_even_of_a_paused_feed(): void
    {
        $feed = $this->carry($this->feed(['landing' => Landing::Append]));
        for ($n = 1; $n <= 2; $n++) {
            $this->gate->run("INSERT INTO loads VALUES (500 + {$n}, {$n}, clock_timestamp())");
            usleep(600_000);
            $feed = $this->carry($feed);
        }
        $this->actingAs($this->engineer());
        FeedBook::pause([$feed]);
        self::assertMatchesRegularExpression('/<b>3<\/b> of them are small.*value="joinFiles"/s', (string) $this->get('/landed/loads')->getContent());
        $this->post('/feeds/act', ['act' => 'joinFiles', 'feeds' => ['loads']])->assertSessionHas('done', 'loads is asked to join its small files.');
        $this->get('/landed/loads')->assertSee('Joining small files is asked for');
        [$stands, $sequence, $landed] = [$feed->stands(), $feed->sequence, $feed->last_landed_at];
        $leases = new Leases('test');
        $lease = $leases->toJoin();
        self::assertNotNull($lease);
        (new FeedRunner(app(Systems::class), $leases, static fn (): bool => false))->join($lease);
        $run = $feed->runs()->where('kind', Run::JOIN)->sole();
        self::assertSame(['done', '3 files', '1 file', 0, true], [$run->state, $run->window_from, $run->window_to, $run->read, $run->addsUp()]);
        $feed->refresh();
        self::assertEquals([$stands, $sequence, $landed, false, 'paused'], [$feed->stands(), $feed->sequence, $feed->last_landed_at, $feed->join_asked, $feed->state()]);
        self::assertNull($leases->toJoin());
        self::assertSame([['502']], $this->inLake('SELECT count(*) FROM copy.loads'));
        $this->get("/runs/{$run->id}")->assertSee('3 files before, 1 file after')->assertDontSee('No receipt');
        $this->get('/feeds/loads/runs')->assertSee('files joined')->assertSee('3 files → 1 file');

        // The feed goes on where it stood; the command says what it did, and what it cannot do.
        FeedBook::resume([$feed]);
        $this->gate->run('INSERT INTO loads VALUES (600, 6, clock_timestamp())');
        usleep(600_000);
        $this->carry($feed);
        self::assertSame([['503']], $this->inLake('SELECT count(*) FROM copy.loads'));
        $this->artisan('feed:join', ['name' => 'loads'])->expectsOutputToContain('2 files have become 1')->assertSuccessful();
        $this->artisan('feed:join', ['name' => 'loads'])->expectsOutputToContain('no partition has several small files')->assertSuccessful();
        FeedBook::joinFiles([$feed]);
        FileJoining::run($feed->refresh(), 'test', static fn () => throw new \LogicException('of ours'));
        $failed = $feed->runs()->where('kind', Run::JOIN)->latest('id')->firstOrFail();
        self::assertSame(['failed', 'Lighterman itself failed while joining files (LogicException).', false], [$failed->state, $failed->trouble->message, $feed->refresh()->join_asked]);
        exec('rm -rf '.escapeshellarg($this->path));
        $this->artisan('feed:join', ['name' => 'loads'])->expectsOutputToContain('there is no folder')->expectsOutputToContain('See that its disk is mounted')->assertFailed();
        self::assertSame([false, 'carried', null], [$feed->refresh()->join_asked, $feed->standing, $feed->trouble]);
    }

    #[Test]
    public function a_result_is_drawn_as_bars_or_lines_where_it_can_be(): void
    {
        $columns = static fn (bool ...$numeric): array => array_map(static fn (bool $n, int $i): array => ['name' => "c{$i}", 'numeric' => $n], $numeric, array_keys($numeric));
        $of = static fn (array $columns, array $rows): ?ResultChart => ResultChart::of(new QueryResult($columns, $rows, false, 0.0));
        self::assertNull($of($columns(false), [['a'], ['b']]));
        self::assertNull($of($columns(false, true), [['a', '1']]));
        self::assertNull($of($columns(false, true), [['a', null], ['b', null]]));
        self::assertNull($of($columns(false, true), array_fill(0, 200, ['a', '1'])));
        $bars = $of($columns(false, true, true), [['a', '-5', '10'], ['b', '20', null]]);
        self::assertSame([false, ['c1', 'c2']], [$bars?->line, array_keys($bars->series ?? [])]);
        self::assertGreaterThan($bars?->y(20), $bars?->y(0));
        self::assertGreaterThan($bars?->y(0), $bars?->y(-5));
        self::assertLessThanOrEqual(ResultChart::WIDTH, $bars?->left(1, 1) + $bars?->bar());
        self::assertContains(0.0, array_values($bars?->ticks() ?? []));
        $line = $of($columns(false, true), [['2026-01', '1'], ['2026-02', null], ['2026-03', '3']]);
        self::assertTrue($line?->line);
        self::assertSame(2, substr_count((string) $line?->path($line->series['c1']), 'M'));
        self::assertTrue($of($columns(false, true), [['2026-01-01 10:00:00+00', '1'], ['2026-02-01 10:00:00+00', '2']])?->line);
    }

    /** A list that shrinks, is emptied, or is filled again, is what it is at the source afterwards. */
    #[Test]
    #[TestWith([Capture::Watermark, 'lake'])]
    #[TestWith([Capture::Watermark, 'house'])]
    #[TestWith([Capture::Reload, 'lake'])]
    #[TestWith([Capture::Reload, 'house'])]
    public function elements_of_lists_are_kept_by_key_and_place_and_leave_with_their_list(Capture $capture, string $where): void
    {
        $this->gate->run("CREATE TABLE public.crates (id int, side text, items int[], updated_at timestamptz NOT NULL DEFAULT now() - interval '1 day', PRIMARY KEY (id, side)); INSERT INTO crates SELECT g, 's' || g % 2, ARRAY(SELECT generate_series(1, g % 5)) FROM generate_series(1, 60) g");
        $table = new TableName('public', 'crates');
        $target = $this->target;
        $this->target = System::where('name', $where)->sole();
        $feed = $this->feed(['name' => 'crates', 'source' => $table, 'shape' => app(Systems::class)->source($this->source)->shape($table), 'capture' => $capture, 'key' => ['id', 'side'], 'landed' => new TableName('copy', 'crates'), 'watermark' => $capture === Capture::Watermark ? 'updated_at' : null,
            'treatment' => Treatment::fromArray(['failing' => 'set_aside', 'explode' => ['column' => 'items', 'number' => 'item_no'], 'columns' => [['from' => 'id', 'as' => 'crate']], 'checks' => [['check' => 'expression', 'expression' => 'items != 77', 'else' => 'set_aside']]])]);
        $source = "SELECT concat_ws('|', id, side, coalesce(e.item, -1), coalesce(e.no, 0)) AS row FROM crates LEFT JOIN LATERAL unnest(items) WITH ORDINALITY e(item, no) ON true";
        $copy = "SELECT concat_ws('|', crate, side, coalesce(items, -1), item_no) AS row FROM copy.crates";
        $sorted = static function (array $rows): array {
            sort($rows, SORT_STRING);

            return $rows;
        };
        $landed = fn (): array => $sorted($where === 'lake' ? array_column($this->inLake($copy), 0) : array_column($this->house->rows($copy), 'row'));
        foreach (['true', 'items = items[1:1]', "items = '{}'", 'items = NULL', 'items = ARRAY[9, 9, 9, 9, 9, 9]', 'items = ARRAY[NULL, 4]::int[]'] as $n => $set) {
            $n === 0 || $this->gate->run("UPDATE crates SET {$set}, updated_at = clock_timestamp() WHERE id % 6 IN ({$n}, ".($n + 1) % 6 .'); SELECT pg_sleep(0.7)');
            $feed = $this->carry($feed);
            self::assertSame(['on time', $sorted(array_column($this->gate->rows($source), 'row'))], [$feed->state(), $landed()], $set);
        }
        self::assertTrue(Run::findOrFail($feed->last_run_id)->addsUp());
        // One element fails: what its list still has stays, what it has lost goes.
        $this->gate->run('UPDATE crates SET items = ARRAY[1, 77, 3], updated_at = clock_timestamp() WHERE id = 10; SELECT pg_sleep(0.7)');
        $before = array_values(array_filter($landed(), static fn (string $r): bool => str_starts_with($r, '10|s0|') && str_ends_with($r, '|2')));
        $this->carry($feed);
        self::assertSame($sorted(['10|s0|1|1', ...$before, '10|s0|3|3']), array_values(array_filter($landed(), static fn (string $r): bool => str_starts_with($r, '10|'))));
        self::assertSame([], Books::check());
        $this->target = $target;
    }
}
