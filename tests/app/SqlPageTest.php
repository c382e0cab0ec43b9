<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\SystemBook;
use App\Models\AuditEntry;
use App\Models\SavedQuery;
use App\Models\System;
use App\Runtime\Common\RunningQuery;
use App\Runtime\Common\Systems;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Str;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\Test;
use Symfony\Component\HttpFoundation\BinaryFileResponse;

final class SqlPageTest extends LakeCase
{
    protected function setUp(): void
    {
        parent::setUp();
        $this->carry($this->feed());
        $this->givesAsker();
    }

    #[Test]
    public function a_result_says_the_types_of_its_columns_and_the_page_the_tables_there_are(): void
    {
        $this->actingAs($this->engineer());
        $page = (string) $this->post('/landed/sql', ['target' => 'house', 'sql' => "SELECT kg, now() AS t, 1.5 AS n, '{}'::jsonb AS j FROM copy.loads LIMIT 1"])->assertOk()->getContent();
        foreach (['kg<span class="of">int32', 't<span class="of">timestamptz', 'n<span class="of">decimal', 'j<span class="of">jsonb', 'copy.loads', 'data-insert="updated_at"'] as $said) {
            self::assertStringContainsString($said, $page);
        }
        $part = (string) $this->withHeaders(['X-Part' => 'result'])->post('/landed/sql', ['target' => 'lake', 'sql' => "SELECT 1::BIGINT AS big, [1, 2] AS list, {'a': 'x'} AS s"])->assertOk()->getContent();
        self::assertStringNotContainsString('<html', $part);
        foreach (['big<span class="of">int64', '[1,2]', '{&quot;a&quot;:&quot;x&quot;}'] as $said) {
            self::assertStringContainsString($said, $part);
        }
    }

    #[Test]
    public function rows_and_time_are_limited_as_chosen_and_not_beyond(): void
    {
        $this->actingAs($this->engineer());
        $ask = fn (array $more) => $this->post('/landed/sql', $more + ['target' => 'house', 'sql' => 'SELECT * FROM copy.loads']);
        self::assertStringContainsString('100 rows, cut at the limit', (string) $ask(['rows' => 100])->getContent());
        $ask(['rows' => 100_000])->assertSessionHasErrors('rows');
        $ask(['seconds' => 4000])->assertSessionHasErrors('seconds');
        $begun = microtime(true);
        self::assertStringContainsString('time limit or was cancelled', (string) $ask(['sql' => 'SELECT count(*) FROM generate_series(1, 100000000) a, generate_series(1, 1000) b', 'seconds' => 1])->getContent());
        self::assertLessThan(8, microtime(true) - $begun);
    }

    #[Test]
    public function a_query_is_stopped_by_who_runs_it_and_by_nobody_else(): void
    {
        $own = $this->engineer();
        $other = $this->person('another', 'engineer');
        $asked = 0;
        foreach (['house' => 'SELECT count(*) FROM generate_series(1, 100000000) a, generate_series(1, 100000) b', 'lake' => 'SELECT count(*) FROM range(1000000000) a, range(1000000) b WHERE hash(a, b) = 1'] as $name => $sql) {
            $id = (string) Str::uuid();
            $begun = microtime(true);
            try {
                RunningQuery::of($id, $own->id, function (RunningQuery $query) use ($id, $name, $sql, $own, $other, &$asked): void {
                    app(Systems::class)->asker(SystemBook::named($name))->query($sql, 10, 60, function () use ($query, $id, $own, $other, &$asked): bool {
                        $asked++;
                        $this->actingAs($other)->post('/landed/sql/stop', ['run' => $id])->assertJson(['stopping' => false]);
                        self::assertFalse($query->isStopped());
                        $this->actingAs($own)->post('/landed/sql/stop', ['run' => $id])->assertJson(['stopping' => true]);
                        usleep(300_000);

                        return $query->isStopped();
                    });
                });
                self::fail('It came to its end.');
            } catch (SystemTrouble $trouble) {
                self::assertSame('stopped', $trouble->reason->value);
            }
            self::assertLessThan(10, microtime(true) - $begun);
        }
        self::assertSame([2, 0], [$asked, DB::table('running_queries')->count()]);
    }

    #[Test]
    public function a_result_comes_as_a_parquet_file_that_others_read(): void
    {
        $this->actingAs($this->engineer());
        foreach (['house' => "SELECT 7::int8 AS big, 1.25::numeric AS exact, 'ä' AS w, NULL::date AS d, '\\x00ff'::bytea AS b, true AS f, 1 AS w", 'lake' => "SELECT 7::BIGINT AS big, '1.25' AS exact, 'ä' AS w, NULL::DATE AS d, '\\x00\\xFF'::BLOB AS b, true AS f, 1 AS w_7"] as $target => $sql) {
            $answer = $this->post('/landed/sql', ['target' => $target, 'as' => 'parquet', 'sql' => $sql])->assertOk()->baseResponse;
            self::assertInstanceOf(BinaryFileResponse::class, $answer);
            exec('node connectors/tests/read-parquet.mjs '.escapeshellarg($answer->getFile()->getPathname()), $lines, $code);
            unlink($answer->getFile()->getPathname());
            self::assertSame([0, '{"big":"7","exact":"1.25","w":"ä","d":null,"b":"00ff","f":true,"w_7":"1"}'], [$code, array_pop($lines)]);
        }
        self::assertSame([], glob(storage_path('lake/result-*')), 'nothing is left behind');
        self::assertStringContainsString('does not exist', (string) $this->post('/landed/sql', ['target' => 'house', 'as' => 'parquet', 'sql' => 'SELECT nothing'])->getContent());
    }

    #[Test]
    public function queries_are_kept_under_a_name_that_belongs_to_who_took_it(): void
    {
        $own = $this->engineer();
        $this->actingAs($own)->post('/landed/sql/saved', ['name' => 'heavy loads', 'target' => 'house', 'sql' => 'SELECT 1'])->assertSessionHasNoErrors();
        $this->post('/landed/sql/saved', ['name' => 'heavy loads', 'target' => 'house', 'sql' => 'SELECT 2'])->assertSessionHasNoErrors();
        $query = SavedQuery::sole();
        self::assertSame('SELECT 2', $query->sql);
        self::assertStringContainsString('SELECT 2', (string) $this->get("/landed/sql?saved={$query->id}")->assertOk()->getContent());
        $other = $this->person('another', 'engineer');
        $this->actingAs($other)->post('/landed/sql/saved', ['name' => 'heavy loads', 'target' => 'house', 'sql' => 'SELECT 3'])->assertSessionHasErrors('name');
        self::assertSame('SELECT 2', $query->refresh()->sql);
        $this->delete("/landed/sql/saved/{$query->id}")->assertRedirect();
        self::assertSame(0, SavedQuery::count());
        $this->get('/landed/sql?saved=999999')->assertNotFound();
    }

    #[Test]
    public function only_systems_with_landed_tables_are_asked_and_only_by_those_who_may_change_things(): void
    {
        $this->gate->run("CREATE TABLE secrets (bank text); INSERT INTO secrets VALUES ('XX00 1234')");
        $this->actingAs($this->engineer());
        foreach (['SELECT bank FROM secrets', "SELECT pg_drop_replication_slot('lighterman_x')"] as $sql) {
            $page = (string) $this->post('/landed/sql', ['target' => 'gate', 'sql' => $sql])->assertOk()->getContent();
            self::assertStringContainsString('No feed lands in gate', $page);
            self::assertStringNotContainsString('XX00', $page);
        }
        $this->post('/landed/sql/saved', ['name' => 'bank', 'target' => 'gate', 'sql' => 'SELECT 1'])->assertSessionHasErrors('said');
        self::assertSame(0, SavedQuery::count());

        $this->actingAs($this->person('viewer', 'viewer'));
        $this->get('/landed/sql')->assertForbidden();
        foreach (['/landed/sql', '/landed/sql/stop', '/landed/sql/saved'] as $path) {
            $this->post($path, ['target' => 'house', 'sql' => 'SELECT 1'])->assertForbidden();
        }
        $this->get('/landed')->assertOk()->assertDontSee('/landed/sql');
        $this->get('/landed/loads')->assertOk()->assertDontSee('/landed/sql');
    }

    #[Test]
    public function a_system_is_not_asked_before_it_has_an_account_that_can_do_nothing_else(): void
    {
        $this->actingAs($this->engineer());
        SystemBook::askNoMore($this->target);
        $this->get('/landed/sql')->assertOk()->assertSee('is not asked here before there is an account')->assertDontSee('<option selected>house', false);
        $this->post('/landed/sql', ['target' => 'house', 'sql' => 'SELECT 1'])->assertSee('house is not asked in SQL');
        $this->get('/systems/house')->assertSee('CREATE ROLE "lighterman_asks"')->assertSee('default_transaction_read_only');

        // One that was made too mighty is said to be, and not used.
        $this->house->run("CREATE ROLE {$this->asker}_x LOGIN CREATEDB PASSWORD 'invented-secret-9'");
        try {
            $this->post('/systems/house/asker', ['asker_user' => "{$this->asker}_x", 'asker_secret' => 'invented-secret-9', 'act' => 'made'])->assertSessionHasNoErrors();
            $this->get('/systems/house')->assertSee('is CREATEDB')->assertSee('NOCREATEDB')->assertDontSee('invented-secret-9');
            $this->post('/landed/sql', ['target' => 'house', 'sql' => 'SELECT 1'])->assertSee('house is not asked in SQL');
            // No role that others made is altered, not even by an administrator; one of its own is made as it should be.
            $made = ['act' => 'make', 'administrator' => 'lighterman', 'administrator_secret' => (string) getenv('LIGHTERMAN_TEST_PG_PASSWORD')];
            foreach (["{$this->asker}_x", 'lighterman'] as $taken) {
                $this->post('/systems/house/asker', ['asker_user' => $taken] + $made)->assertSessionHasErrors('said');
            }
            self::assertSame('t', $this->house->value("SELECT bool_and(rolcreatedb) FROM pg_roles WHERE rolname IN ('lighterman', '{$this->asker}_x')"));
            $this->post('/systems/house/asker', ['asker_user' => (string) $this->asker, 'act' => 'make', 'administrator' => 'lighterman', 'administrator_secret' => (string) getenv('LIGHTERMAN_TEST_PG_PASSWORD')])->assertSessionHasNoErrors();
            $this->post('/landed/sql', ['target' => 'house', 'sql' => 'SELECT count(*) AS many FROM copy.loads'])->assertSee('500');
            $this->post('/systems/house/asker', ['asker_user' => "{$this->asker}_x", 'act' => 'make', 'administrator' => 'nobody', 'administrator_secret' => 'wrong-secret-0'])->assertSessionHasErrors('said')->assertSessionMissing('wrong-secret-0');
        } finally {
            $this->house->run("DROP OWNED BY {$this->asker}_x; DROP ROLE {$this->asker}_x");
        }
        $kept = json_encode(AuditEntry::all()).json_encode(DB::table('systems')->get()).json_encode(System::all());
        foreach (['invented-secret-9', 'wrong-secret-0'] as $secret) {
            self::assertStringNotContainsString($secret, $kept);
        }
        foreach (['asker_user' => 'x; DROP ROLE y', 'asker_secret' => 'short'] as $field => $bad) {
            $this->post('/systems/house/asker', [$field => $bad] + ['asker_user' => 'fine', 'asker_secret' => 'long enough now', 'act' => 'made'])->assertSessionHasErrors();
        }
    }

    #[Test]
    public function the_account_is_forgotten_where_its_password_would_go_elsewhere(): void
    {
        SystemBook::change($this->target, 'house', ['database' => 'elsewhere'] + $this->target->settings, 'another');
        self::assertSame([null, null], [$this->target->refresh()->asker_user, $this->target->asker_secret]);
    }

    #[Test]
    public function so_many_queries_may_be_under_way_and_pages_keep_their_places(): void
    {
        $own = $this->engineer();
        $other = $this->person('another', 'engineer');
        DB::table('running_queries')->insert(array_map(static fn (int $person): array => ['id' => (string) Str::uuid(), 'person_id' => $person, 'started_at' => now()], [$own->id, $own->id]));
        $ask = fn ($who) => (string) $this->actingAs($who)->post('/landed/sql', ['target' => 'house', 'sql' => 'SELECT 41 + 1 AS n'])->getContent();
        self::assertStringContainsString('2 queries of yours are under way', $ask($own));
        self::assertStringContainsString('>42<', $ask($other));
        DB::table('running_queries')->insert(array_map(static fn (int $person): array => ['id' => (string) Str::uuid(), 'person_id' => $person, 'started_at' => now()], [$this->person('third', 'engineer')->id, $other->id]));
        self::assertStringContainsString('4 queries are under way', $ask($other));
        self::assertSame(4, DB::table('running_queries')->count());
        // What a web server that died has left behind takes nobody's place for long.
        DB::table('running_queries')->update(['started_at' => now()->subSeconds(421)]);
        self::assertStringContainsString('>42<', $ask($own));
    }
}
