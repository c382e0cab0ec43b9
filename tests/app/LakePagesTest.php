<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\DefinitionFile;
use App\Feeds\WritingInput;
use App\Models\AuditEntry;
use App\Models\Feed;
use App\Models\System;
use App\Pages\LandedTables;
use App\Pages\ShapeHistory;
use Illuminate\Support\Facades\Artisan;
use Lighterman\Connectors\Tests\StandInStore;
use Lighterman\Core\Landing\FileWriting;
use Lighterman\Core\Trouble\InvalidDefinition;
use PHPUnit\Framework\Attributes\Test;

/** How a lake is set up, looked at and changed on its pages. */
final class LakePagesTest extends LakeCase
{
    protected function setUp(): void
    {
        parent::setUp();
        $this->target = $this->lake;
        $this->actingAs($this->engineer());
    }

    #[Test]
    public function how_files_are_written_is_chosen_in_the_grid_and_changed_on_the_set_up_page(): void
    {
        $line = ['table' => 'public.loads', 'name' => 'loads', 'capture' => 'watermark', 'watermark' => 'updated_at', 'key' => 'id', 'landing' => 'upsert', 'landed' => 'copy.loads', 'promise_minutes' => '15', 'leave_out' => '', 'partition_by' => '', 'as_format' => 'delimited', 'as_packed' => 'gzip', 'as_delimiter' => 'tab', 'as_decimal' => ',', 'as_rows' => '20,000', 'as_seconds' => '', 'as_header' => ''];
        $this->post('/feeds/new', ['source' => 'gate', 'target' => 'lake', 'schedule' => 'manual', 'lines' => [$line]])->assertRedirect('/feeds/loads');
        $feed = Feed::where('name', 'loads')->sole();
        self::assertEquals(['format' => 'delimited', 'packed' => 'gzip', 'delimiter' => "\t", 'decimal' => ',', 'rows' => 20_000], $feed->definition->body['write_as']);
        $this->carry($feed);
        self::assertStringEndsWith('.csv.gz', (glob("{$this->path}/copy/loads/*") ?: [''])[0]);
        self::assertEquals(WritingInput::read(WritingInput::typed($feed->definition->parsed()->destination->writing)), $feed->definition->body['write_as']);

        $page = (string) $this->get('/feeds/loads/set-up')->assertOk()->getContent();
        self::assertStringContainsString('Delimited text, gzip, parted by tab', $page);
        $set = ['promise_minutes' => 15, 'overlap' => 0, 'schedule' => 'manual'];
        $this->post('/feeds/loads/set-up', $set + ['as_format' => 'avro', 'as_packed' => 'gzip']);
        self::assertSame(1, $feed->refresh()->definition->version, 'what cannot be is not saved');
        $this->post('/feeds/loads/set-up', $set + ['as_format' => 'avro', 'as_fixed_name' => 'all'])->assertRedirect();
        $this->gate->run('UPDATE loads SET kg = 1, updated_at = clock_timestamp() WHERE id < 4; ALTER TABLE loads ADD extra int');
        $this->post('/feeds/loads/agree')->assertRedirect();
        usleep(600_000);
        $this->carry($feed->refresh());
        self::assertFileExists("{$this->path}/copy/loads/all.avro");
        self::assertSame([['500', '3']], $this->inLake('SELECT count(*), count(*) FILTER (WHERE kg = 1 AND id < 4) FROM copy.loads'));
        self::assertSame([['Column extra (int32) is new.'], ['Files are written as Avro, deflate.'], []], array_map(static fn (ShapeHistory $h): array => $h->changes, ShapeHistory::of($feed->refresh())));
        self::assertStringContainsString('Column extra (int32) is new.', (string) $this->get('/landed/loads')->assertOk()->getContent());
    }

    #[Test]
    public function a_definition_file_says_how_files_are_written_and_errors_name_the_place(): void
    {
        $file = static fn (string $as): DefinitionFile => DefinitionFile::parse("source: gate\ntarget: lake\nfeeds:\n  - { table: public.loads, write_as: {$as} }\n");
        self::assertSame(['format' => 'jsonl', 'packed' => 'gzip', 'seconds' => 5], $file('{ format: jsonl, packed: gzip, seconds: 5 }')->feeds[0]['write_as']);
        foreach (['{ format: xml }' => 'feeds.0.write_as.format', '{ formatt: jsonl }' => 'unknown key "formatt"', '{ rows: 5 }' => 'feeds.0.write_as.rows'] as $as => $said) {
            try {
                $file($as);
                self::fail($as);
            } catch (InvalidDefinition $e) {
                self::assertStringContainsString($said, $e->getMessage());
            }
        }
        self::assertSame([], (new FileWriting)->toArray(), 'what is usual need not be said');
    }

    #[Test]
    public function a_scan_registers_tables_of_others_and_only_an_engineer_may_ask_for_it(): void
    {
        $this->carry($this->feed());
        mkdir("{$this->path}/lab/must", 0777, true);
        file_put_contents("{$this->path}/lab/must/a.csv", "id;ph\n1;3,5\n");
        file_put_contents("{$this->path}/lab/must/b.csv", "id;ph\n2;sour;x\n");
        $this->followingRedirects()->post('/landed/scan', ['system' => 'lake'])->assertOk()->assertSee('1 table of others found in lake.')->assertSee('lab/must/b.csv')->assertSee('lab.must');
        $this->get('/landed/found?system=lake&table=lab.must')->assertOk()->assertSee('decimal')->assertSee('found by a scan');
        $this->get('/landed/found?system=lake&table=copy.loads')->assertNotFound();
        self::assertContains('lab.must', array_column(app(LandedTables::class)->all(), 'table'));
        self::assertSame([['1', '3.5']], $this->inLake('SELECT id, ph FROM lab.must'));
        $page = (string) $this->get('/landed')->assertOk()->getContent();
        self::assertMatchesRegularExpression('/copy\.loads.*?data-v="500".*?data-v="1"/s', $page);
        self::assertSame([0, 1, 1], [Artisan::call('lake:scan', ['name' => 'lake']), Artisan::call('lake:scan', ['name' => 'gate']), Artisan::call('lake:scan', ['name' => 'nowhere'])]);
        self::assertSame(0, Artisan::call('system:check', ['name' => 'lake']));
        self::assertStringContainsString('Parquet can be written', Artisan::output());
        $this->actingAs($this->person('viewer', 'viewer'));
        $this->post('/landed/scan', ['system' => 'lake'])->assertForbidden();
        $this->post('/landed/scan', ['system' => 'gate'])->assertForbidden();
    }

    #[Test]
    public function a_lake_that_is_away_leaves_the_pages_standing(): void
    {
        $this->carry($this->feed());
        rename($this->path, "{$this->path}.away");
        try {
            $this->get('/landed')->assertOk()->assertSee('there is no folder');
            $this->get('/landed/sql')->assertOk();
            $this->get('/landed/loads')->assertOk()->assertSee('there is no folder');
        } finally {
            rename("{$this->path}.away", $this->path);
        }
    }

    #[Test]
    public function an_object_store_is_added_tested_and_landed_in_and_its_secret_stays_one(): void
    {
        $store = new StandInStore;
        $given = ['kind' => 'lake-store', 'name' => 'far lake', 'endpoint' => "http://127.0.0.1:{$store->port}", 'region' => 'us-east-1', 'bucket' => 'cider', 'prefix' => 'lake', 'user' => 'press', 'secret' => 'invented-secret', 'addressing' => 'path'];
        $this->post('/systems', ['endpoint' => 'store.example'] + $given)->assertSessionHasErrors('endpoint');
        $this->followingRedirects()->post('/systems', $given)->assertOk()->assertSee('A name can be taken once only')->assertDontSee('invented-secret');
        $system = System::where('name', 'far lake')->sole();
        self::assertStringNotContainsString('invented-secret', json_encode([AuditEntry::all()->toArray(), $system->settings, \Illuminate\Support\Facades\DB::table('systems')->get()], JSON_THROW_ON_ERROR));
        $this->target = $this->lake = $system;
        $feed = $this->carry($this->feed());
        self::assertSame('on time', $feed->state());
        self::assertSame([['500']], $this->inLake('SELECT count(*) FROM copy.loads'));
        $this->get('/landed/loads?count=1')->assertOk()->assertSee('cider/lake/copy/loads')->assertSee('the same number');
        // A wrong secret is told without the right one being lost.
        $this->followingRedirects()->put('/systems/far lake', ['secret' => 'wrong'] + $given)->assertSee('SignatureDoesNotMatch');
        $this->followingRedirects()->put('/systems/far lake', ['secret' => 'invented-secret'] + $given)->assertSee('A name can be taken once only');
        self::assertSame(['lake', 'lake-store'], System::keepingFiles()->orderBy('id')->pluck('kind')->all());
    }
}
