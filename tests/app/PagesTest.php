<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\FeedBook;
use App\Models\AuditEntry;
use App\Models\Feed;
use App\Models\Receipt;
use App\Models\System;
use App\Pages\Frame;
use App\Pages\Lanes;
use Carbon\CarbonImmutable;
use Illuminate\Contracts\Debug\ExceptionHandler;
use Illuminate\Database\QueryException;
use Illuminate\Http\Request;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Str;
use PDO;
use PHPUnit\Framework\Attributes\Test;

final class PagesTest extends AppCase
{
    /** @param  array<string, string>  $line @return array<string, mixed> */
    private function form(array $line): array
    {
        return ['source' => 'gate', 'target' => 'house', 'schedule' => 'every', 'every_minutes' => '5', 'lines' => [['table' => 'public.loads', 'name' => 'loads', 'capture' => 'watermark', 'watermark' => 'updated_at', 'key' => 'id', 'landing' => 'upsert', 'landed' => 'copy.loads', 'promise_minutes' => '2', 'leave_out' => '', ...$line]]];
    }

    #[Test]
    public function nobody_sees_anything_without_signing_in(): void
    {
        foreach (['/watch', '/feeds', '/systems', '/landed/sql', '/parts/ruler', '/audit'] as $path) {
            $this->get($path)->assertRedirect('/sign-in');
        }
        $this->post('/feeds/act', [])->assertRedirect('/sign-in');
    }

    #[Test]
    public function a_viewer_is_refused_every_change(): void
    {
        $feed = $this->feed();
        $viewer = $this->person('viewer', 'viewer');
        $this->actingAs($viewer);
        foreach (['/feeds/new', '/feeds/act', '/feeds/loads/set-up', '/feeds/loads/start-over', '/feeds/loads/agree', '/systems', '/systems/gate/check', '/feeds/new/judge'] as $path) {
            $this->post($path)->assertForbidden();
        }
        $this->delete('/feeds/loads')->assertForbidden();
        $this->put('/systems/gate')->assertForbidden();
        $this->get('/feeds/loads')->assertOk()->assertDontSee('Run now');
        self::assertSame('new', $feed->refresh()->state());
    }

    #[Test]
    public function where_nobody_works_pages_say_so_and_what_to_do(): void
    {
        $this->feed();
        $this->actingAs($this->engineer());
        $said = 'Start one with <code>bin/lighterman work</code>';
        foreach (['/watch', '/feeds/loads'] as $page) {
            $this->get($page)->assertOk()->assertSee('No worker is running.')->assertSee($said, false);
        }
        $this->artisan('feeds')->expectsOutputToContain('No worker is running. Nothing is carried meanwhile.')->assertSuccessful();
        DB::insert("INSERT INTO workers (name, seen_at) VALUES ('one', clock_timestamp())");
        $this->artisan('feeds')->doesntExpectOutputToContain('No worker')->assertSuccessful();
        $this->get('/watch')->assertOk()->assertDontSee($said, false);
        DB::update("UPDATE workers SET seen_at = clock_timestamp() - interval '3 minutes'");
        $this->get('/feeds/loads')->assertSee('No worker has been seen since')->assertSee($said, false);
        FeedBook::pause([Feed::sole()]);
        $this->get('/watch')->assertDontSee($said, false);
    }

    #[Test]
    public function a_feed_is_started_from_the_form_with_schedule_and_promise(): void
    {
        $this->actingAs($this->engineer())->post('/feeds/new', $this->form([]))->assertRedirect('/feeds/loads');
        $definition = Feed::firstOrFail()->definition->parsed();
        self::assertSame([120, 'every', 300], [$definition->promiseSeconds, $definition->schedule->kind, $definition->schedule->seconds]);
        self::assertSame('engineer', AuditEntry::where('action', 'created')->latest('id')->value('person'));
    }

    #[Test]
    public function what_is_wrong_in_the_grid_is_said_and_nothing_typed_is_lost(): void
    {
        $this->actingAs($this->engineer());
        $tries = [
            [['watermark' => 'missing'], 'The table has no column missing'],
            [['table' => 'public.gone'], 'gate has no table public.gone'],
            [['landing' => 'replace'], 'replace swaps the whole table'],
            [['key' => 'kg, nothing'], 'nothing'],
            [['promise_minutes' => '0'], 'is not between 1 s and a year'],
        ];
        foreach ($tries as [$line, $said]) {
            $this->post('/feeds/new', $this->form(['name' => 'my own name', ...$line]))->assertOk()->assertSee($said)->assertSee('my own name');
        }
        $this->post('/feeds/new', ['cron' => 'never', 'schedule' => 'cron'] + $this->form([]))->assertOk()->assertSee('not a cron expression');
        self::assertSame(0, Feed::count());
    }

    #[Test]
    public function a_table_dropped_between_choosing_and_starting_is_named(): void
    {
        $this->actingAs($this->engineer())->post('/feeds/new/grid', ['source' => 'gate', 'target' => 'house', 'tables' => ['public.loads']])->assertOk()->assertSee('Exactly once, in effect');
        $this->gate->run('DROP TABLE loads');
        $this->post('/feeds/new/rehearse', $this->form([]))->assertOk()->assertSee('gate has no table public.loads');
        $this->post('/feeds/new', $this->form([]))->assertOk()->assertSee('gate has no table public.loads');
        self::assertSame(0, Feed::count());
    }

    #[Test]
    public function the_rehearsal_shows_an_obstacle_and_offers_to_take_a_table_over(): void
    {
        $this->house->run('CREATE SCHEMA copy; CREATE TABLE copy.loads (id int PRIMARY KEY, kg int, updated_at timestamptz, delivered_at timestamptz, source_position text); INSERT INTO copy.loads (id) VALUES (1)');
        $this->actingAs($this->engineer())->post('/feeds/new/rehearse', $this->form([]))->assertOk()->assertSee('holds rows that Lighterman did not land')->assertSee('Take copy.loads over');
        $this->post('/feeds/new', $this->form(['take_over' => '1']))->assertRedirect();
        $feed = $this->carry(Feed::firstOrFail());
        self::assertSame('on time', $feed->state());
        self::assertSame('500', $this->house->value('SELECT count(*) FROM copy.loads WHERE kg IS NOT NULL'));
    }

    #[Test]
    public function many_feeds_are_paused_at_once_and_only_those_that_were_not(): void
    {
        $feed = $this->feed();
        FeedBook::pause([$feed]);
        $this->actingAs($this->engineer())->post('/feeds/act', ['act' => 'pause', 'feeds' => ['loads', 'absent']])->assertSessionHas('done', '0 of 1 feeds paused.');
        $this->post('/feeds/act', ['act' => 'resume', 'feeds' => ['loads']])->assertSessionHas('done', 'loads is resumed.');
        $this->post('/feeds/act', ['act' => 'destroy', 'feeds' => ['loads']])->assertSessionHasErrors('act');
    }

    #[Test]
    public function a_part_that_refreshes_itself_does_not_use_up_the_message_of_a_form(): void
    {
        $this->feed();
        $this->actingAs($this->engineer());
        $this->post('/feeds/act', ['act' => 'pause', 'feeds' => ['loads']])->assertRedirect();
        $this->get('/parts/ruler', ['X-Part' => 'ruler'])->assertOk();
        $this->get('/feeds')->assertSee('loads is paused.');
        $this->get('/feeds')->assertDontSee('loads is paused.');
    }

    #[Test]
    public function dangerous_acts_ask_by_name(): void
    {
        $this->carry($this->feed());
        $this->actingAs($this->engineer())->delete('/feeds/loads', ['confirm' => 'Loads'])->assertSessionHasErrors('confirm');
        $this->post('/feeds/loads/start-over', ['confirm' => ''])->assertSessionHasErrors('confirm');
        self::assertSame(1, Feed::count());
        $this->delete('/feeds/loads', ['confirm' => 'loads'])->assertRedirect('/feeds');
        self::assertSame('500', $this->house->value('SELECT count(*) FROM copy.loads'), 'the landed table stays');
        $this->get('/feeds/loads')->assertNotFound();
    }

    #[Test]
    public function a_new_shape_can_be_agreed_to_once_the_landed_table_has_it(): void
    {
        $feed = $this->carry($this->feed());
        $this->gate->run('ALTER TABLE loads ADD COLUMN moisture int DEFAULT 9');
        $this->carry($feed);
        $this->actingAs($this->engineer())->post('/feeds/loads/agree')->assertSessionHasErrors('said');
        self::assertStringContainsString('copy.loads has no column moisture. Run this on house, then agree again: ALTER TABLE "copy"."loads" ADD COLUMN', session('errors')->first('said'));
        $this->house->run('ALTER TABLE copy.loads ADD COLUMN moisture int');
        $this->post('/feeds/loads/agree')->assertRedirect('/feeds/loads');
        $this->gate->run('UPDATE loads SET updated_at = now() WHERE id = 1');
        usleep(600_000);
        $this->carry($feed->refresh());
        self::assertSame('9', $this->house->value('SELECT moisture FROM copy.loads WHERE id = 1'));
        self::assertSame(2, $feed->refresh()->definitions()->count());
    }

    #[Test]
    public function an_empty_password_field_keeps_the_stored_one(): void
    {
        $s = $this->source->settings;
        $this->actingAs($this->engineer())->put('/systems/gate', ['name' => 'gate', 'secret' => ''] + $s)->assertRedirect('/systems/gate');
        self::assertSame(getenv('LIGHTERMAN_TEST_PG_PASSWORD'), System::where('name', 'gate')->firstOrFail()->secret);
        $this->put('/systems/gate', ['name' => 'house'] + $s)->assertSessionHasErrors(['said' => 'name: a system named "house" exists. Give this one another name.'])->assertSessionHasInput('name', 'house')->assertSessionMissing('_old_input.secret');
        $this->put('/systems/gate', ['name' => 'gate', 'port' => '99999'] + $s)->assertSessionHasErrors('port');
    }

    #[Test]
    public function feeds_are_found_by_name_table_and_column(): void
    {
        $this->feed(['name' => 'weighings']);
        $this->actingAs($this->engineer());
        foreach (['weigh', 'public.loads', 'copy.lo', 'updated_at'] as $q) {
            $this->get('/find?q='.urlencode($q))->assertOk()->assertSee('/feeds/weighings', false);
        }
        foreach (['%', '_', 'no such thing'] as $q) {
            $this->get('/find?q='.urlencode($q))->assertOk()->assertSee($q === '_' ? 'weighings' : 'No feed, table, column or system');
        }
    }

    #[Test]
    public function csv_quotes_what_it_must_and_tells_null_from_empty(): void
    {
        $this->givesAsker();
        $this->carry($this->feed());
        $answer = $this->actingAs($this->engineer())->post('/landed/sql', ['target' => 'house', 'as' => 'csv', 'sql' => "SELECT 'a,\"b\"' AS \"x,y\", NULL AS n, '' AS e, E'l\\nm' AS l"])->assertOk();
        self::assertSame("\"x,y\",n,e,l\r\n\"a,\"\"b\"\"\",,\"\",\"l\nm\"\r\n", $answer->streamedContent());
    }

    #[Test]
    public function a_text_that_a_spreadsheet_would_compute_is_none_any_more_in_a_download(): void
    {
        $this->feed();
        $this->givesAsker();
        $sql = "SELECT '=1+2' AS a, '@x' AS \"=b\", '-5' AS c, -5 AS d, '+49 1' AS e, E'\\t=1' AS f, 'a=1' AS g, NULL::text AS h";
        $ask = fn (array $more): string => $this->actingAs($this->person('p'.random_int(1, 1 << 30), 'engineer'))->post('/landed/sql', $more + ['target' => 'house', 'as' => 'csv', 'sql' => $sql])->assertOk()->streamedContent();
        self::assertSame("a,'=b,c,d,e,f,g,h\r\n'=1+2,'@x,'-5,-5,'+49 1,'\t=1,a=1,\r\n", $ask([]));
        self::assertSame("a,=b,c,d,e,f,g,h\r\n=1+2,@x,-5,-5,+49 1,\t=1,a=1,\r\n", $ask(['formulas' => '1']));
    }

    #[Test]
    public function the_ruler_names_no_mark_into_another_and_piles_up_a_crowd(): void
    {
        $feed = $this->feed();
        $this->actingAs($this->engineer());
        for ($i = 0; $i < 6; $i++) {
            DB::table('feeds')->insert(['uid' => (string) Str::uuid(), 'route_id' => $feed->route_id, 'name' => "late feed of a long name {$i}", 'landed' => "x.{$i}", 'capture' => 'watermark', 'standing' => 'carried', 'promise_seconds' => 1, 'complete_up_to' => now()->subSeconds(4 * 8 ** $i)]);
        }
        $marks = collect((new Frame)->ruler()['marks'])->sortBy('place')->values();
        self::assertCount(6, $marks);
        self::assertGreaterThan(0, $marks->where('named', true)->count());
        foreach ($marks as $i => $mark) {
            if ($mark['named'] && ! $mark['left'] && isset($marks[$i + 1])) {
                self::assertGreaterThanOrEqual($mark['place'] + 0.62 * mb_strlen($mark['label']), $marks[$i + 1]['place']);
            }
        }
        DB::insert("INSERT INTO feeds (uid, route_id, name, landed, capture, standing, promise_seconds, complete_up_to) SELECT gen_random_uuid(), {$feed->route_id}, 'f' || g, 'y.' || g, 'watermark', 'carried', 900, clock_timestamp() - g * interval '1 second' FROM generate_series(1, 300) g");
        $crowd = (new Frame)->ruler();
        self::assertSame(300, array_sum(array_column(array_filter($crowd['piles'], static fn (array $p): bool => $p['state'] === 'on time'), 'count')));
        self::assertSame(1, $crowd['unplaced']['new']);
    }

    #[Test]
    public function a_file_becomes_a_source_offers_what_it_can_do_and_is_no_target(): void
    {
        $path = sys_get_temp_dir().'/lighterman-'.bin2hex(random_bytes(4)).'.db';
        (new PDO("sqlite:{$path}"))->exec("CREATE TABLE casks (id INTEGER PRIMARY KEY, note TEXT, updated_at DATETIME); INSERT INTO casks VALUES (1, 'oak', '2026-01-01 00:00:00')");
        try {
            $this->actingAs($this->engineer());
            $this->get('/systems/new?kind=sqlite')->assertSee('File on this machine')->assertDontSee('Password');
            $this->post('/systems', ['kind' => 'sqlite', 'name' => 'cellar', 'path' => 'cellar.db'])->assertSessionHasErrors('path');
            $this->post('/systems', ['kind' => 'sqlite', 'name' => 'cellar', 'path' => $path])->assertRedirect('/systems/cellar');
            $this->get('/systems/cellar')->assertSee($path)->assertSee('As a source')->assertDontSee('As a target');
            $this->get('/feeds/new?source=cellar&target=house')->assertSee('main.casks')->assertDontSee('<option selected>cellar</option></select></div><button', false);
            $grid = ['source' => 'cellar', 'target' => 'house', 'lines' => [['table' => 'main.casks', 'capture' => 'trigger', 'watermark' => '', 'key' => 'id', 'landing' => 'upsert', 'landed' => 'copy.casks', 'name' => 'casks', 'promise_minutes' => '15', 'leave_out' => '', 'deletes' => 'apply']]];
            $this->post('/feeds/new/rehearse', $grid)->assertSee('Runs on cellar first')->assertSee('CREATE TRIGGER')->assertSee('oak');
            $grid['lines'][0]['capture'] = 'log';
            $this->post('/feeds/new/rehearse', $grid)->assertSee('cellar does not offer capture log');
            $grid['lines'][0]['capture'] = 'trigger';
            $this->post('/feeds/new/rehearse', ['target' => 'cellar'] + $grid)->assertSee('rows cannot be landed there');
        } finally {
            array_map(unlink(...), glob("{$path}*") ?: []);
        }
    }

    #[Test]
    public function a_stored_secret_goes_nowhere_it_was_not_given_for(): void
    {
        $this->actingAs($this->engineer());
        $form = ['name' => 'gate', ...$this->source->settings];
        foreach (['host' => 'elsewhere.example', 'port' => 5999, 'database' => 'another', 'user' => 'another', 'tls' => 'disable'] as $field => $value) {
            $this->put('/systems/gate', [$field => $value] + $form)->assertSessionHasErrors('said');
            self::assertEquals($this->source->settings, $this->source->refresh()->settings, "{$field} is not changed without the secret");
        }
        $this->put('/systems/gate', ['name' => 'the gate'] + $form)->assertSessionHasNoErrors();
        $this->put('/systems/the%20gate', ['port' => 5999, 'secret' => 'typed again'] + $form)->assertSessionHasNoErrors();
        self::assertSame([5999, 'typed again'], [$this->source->refresh()->settings['port'], $this->source->secret]);
    }

    #[Test]
    public function a_form_that_the_server_cut_is_refused_whole(): void
    {
        $this->actingAs($this->engineer());
        $most = (int) ini_get('max_input_vars');
        $body = http_build_query(['source' => 'gate', 'target' => 'house', 'tables' => array_fill(0, $most, 'public.loads')]);
        // What PHP leaves of it.
        $left = ['source' => 'gate', 'target' => 'house', 'tables' => array_fill(0, $most - 2, 'public.loads')];
        $this->call('POST', '/feeds/new/grid', $left, server: ['CONTENT_TYPE' => 'application/x-www-form-urlencoded'], content: $body)->assertSessionHasErrors('said');
        self::assertStringContainsString("the server takes {$most}", session('errors')->first('said'));
        $this->call('POST', '/feeds/new/judge', $left, server: ['CONTENT_TYPE' => 'multipart/form-data; boundary=x'])->assertSessionHasErrors('said');
        $this->call('POST', '/feeds/new/grid', ['source' => 'gate', 'target' => 'house', 'tables' => ['public.loads']], server: ['CONTENT_TYPE' => 'application/x-www-form-urlencoded'], content: 'source=gate&target=house&tables[]=public.loads')->assertOk();
    }

    #[Test]
    public function where_our_own_database_is_away_the_page_says_so_and_looks_again(): void
    {
        $gone = new QueryException('pgsql', 'select 1', [], new \PDOException('SQLSTATE[08006] [7] connection to server at "127.0.0.1", port 1 failed: Connection refused'));
        $response = app(ExceptionHandler::class)->render(Request::create('/watch'), $gone);
        self::assertSame([503, '5'], [$response->getStatusCode(), $response->headers->get('Retry-After')]);
        self::assertStringContainsString('own database does not answer', (string) $response->getContent());
        self::assertStringContainsString('http-equiv="refresh" content="5"', (string) $response->getContent());
        self::assertSame(500, app(ExceptionHandler::class)->render(Request::create('/watch'), new QueryException('pgsql', 'select x', [], new \PDOException('SQLSTATE[42703]: Undefined column')))->getStatusCode());
    }

    #[Test]
    public function a_day_that_begins_at_half_an_hour_counts_all_of_it(): void
    {
        $feed = $this->carry($this->feed());
        $person = $this->person('far away', 'viewer');
        $person->update(['zone' => 'Asia/Kolkata']);
        $this->actingAs($person);
        $midnight = CarbonImmutable::today('Asia/Kolkata');
        DB::table('receipts')->where('feed_id', $feed->id)->update(['landed_at' => $midnight->addSecond()->utc()]);
        DB::table('carried_hours')->where('feed_id', $feed->id)->update(['hour' => $midnight->utc()->startOfHour()]);
        self::assertSame(500, Lanes::byHour()[0]);
        DB::table('receipts')->where('feed_id', $feed->id)->update(['landed_at' => $midnight->subSecond()->utc()]);
        self::assertSame(0, array_sum(Lanes::byHour()), 'a second before it was yesterday');
    }

    #[Test]
    public function a_run_of_many_receipts_shows_them_part_by_part_and_says_how_many_there_are(): void
    {
        $feed = $this->carry($this->feed());
        $one = Receipt::where('feed_id', $feed->id)->firstOrFail();
        $lines = array_map(static fn (int $n): array => ['sequence' => $n, 'from_position' => $one->getRawOriginal('to_position')] + array_diff_key($one->getRawOriginal(), ['id' => 1]), range($one->sequence + 1, $one->sequence + 702));
        foreach (array_chunk($lines, 100) as $some) {
            Receipt::insert($some);
        }
        $this->actingAs($this->engineer());
        $this->get("/runs/{$one->run_id}")->assertOk()->assertSee('Receipts 1 to 500 of 703.')->assertSee('Those after them')->assertDontSee('The first ones');
        $rest = $this->get("/runs/{$one->run_id}?after=".($one->sequence + 499))->assertOk()->assertSee('Receipts 501 to 703 of 703.')->assertSee('The first ones')->assertDontSee('Those after them');
        self::assertSame(203, substr_count((string) $rest->getContent(), 'data-text='));
        $rest->assertSee('Each receipt begins where the one before it ended.');
        $this->get("/runs/{$one->run_id}?after=99999999999999999999")->assertOk();
    }
}
