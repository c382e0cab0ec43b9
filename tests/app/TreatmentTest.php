<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\AsideDesk;
use App\Feeds\DraftBook;
use App\Feeds\FeedBook;
use App\Feeds\WatchedRecords;
use App\Models\Feed;
use App\Models\MaskKey;
use App\Models\Run;
use App\Models\SetAside;
use App\Runtime\Common\Systems;
use App\Runtime\Query\FeedRunner;
use App\Runtime\Treating\Again;
use App\Runtime\Treating\AsideBook;
use App\Runtime\Work\Leases;
use Illuminate\Database\Events\QueryExecuted;
use Illuminate\Support\Facades\Artisan;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Carrying\ApartPlace;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Record\Bounds;
use Lighterman\Core\Record\Unwritable;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Trouble\InvalidDefinition;
use PHPUnit\Framework\Attributes\Test;
use RuntimeException;

final class TreatmentTest extends AppCase
{
    private const MARKER = 'Zebedee-Quill-0918';

    protected function setUp(): void
    {
        parent::setUp();
        $this->gate->run("ALTER TABLE loads ADD grower text, ADD weight text; UPDATE loads SET grower = 'grower ' || id, weight = (id / 2.0)::text");
    }

    /**
     * @param  array<string, mixed>  $treatment
     * @param  array<string, mixed>  $more
     */
    private function treated(array $treatment, array $more = []): Feed
    {
        return $this->feed($more + ['treatment' => Treatment::fromArray($treatment + ['failing' => 'set_aside'])]);
    }

    private function touch(string $set, string $where): void
    {
        $this->gate->run("UPDATE loads SET {$set}, updated_at = clock_timestamp() WHERE {$where}");
        usleep(600_000);
    }

    private function lastRun(Feed $feed): Run
    {
        return Run::findOrFail($feed->refresh()->last_run_id);
    }

    #[Test]
    public function rows_land_treated_and_what_fails_is_set_aside_with_its_reason(): void
    {
        $this->gate->run("UPDATE loads SET weight = 'heavy' WHERE id IN (7, 90); UPDATE loads SET kg = -1 WHERE id = 8; UPDATE loads SET kg = 100000 WHERE id = 9; UPDATE loads SET grower = NULL WHERE id = 10");
        $feed = $this->carry($this->treated([
            'columns' => [['from' => 'weight', 'as' => 'weight_kg', 'steps' => [['convert' => 'decimal(8,2)']]], ['as' => 'double', 'steps' => [['derive' => 'kg * 2', 'type' => 'int64']]], ['as' => 'from_system', 'steps' => [['stamp' => 'source_name']]], ['as' => 'by_run', 'steps' => [['stamp' => 'run']]]],
            'checks' => [['check' => 'range', 'columns' => ['kg'], 'from' => '0', 'else' => 'drop'], ['check' => 'range', 'columns' => ['kg'], 'to' => '50000', 'else' => 'set_aside'], ['check' => 'required', 'columns' => ['grower'], 'else' => 'warn']],
        ]));
        $run = $this->lastRun($feed);
        self::assertSame([500, 496, 1, 3, 1, true], [$run->read, $run->inserted, $run->dropped, $run->set_aside, $run->warned, $run->addsUp()]);
        self::assertSame(['11', '5.50', '22', 'gate', (string) $run->id], array_values(array_intersect_key($this->house->row('SELECT kg, weight_kg, double, from_system, by_run FROM copy.loads WHERE id = 11') ?? [], array_flip(['kg', 'weight_kg', 'double', 'from_system', 'by_run']))));
        $aside = SetAside::waiting()->where('feed_id', $feed->id)->orderBy('id')->get();
        self::assertSame(['not_a_number', 'check_range', 'not_a_number'], $aside->pluck('reason')->all());
        self::assertSame(['id = 7', 'id = 9', 'id = 90'], $aside->pluck('key')->all());
        self::assertStringContainsString('weight_kg: the value is not a number: "heavy"', $aside[0]->message);
        self::assertSame(['heavy', '7'], [$aside[0]->record['weight'], (string) $aside[0]->record['kg']]);
        self::assertSame([$run->id, 1, $feed->definition_id], [$aside[0]->run_id, $aside[0]->sequence, $aside[0]->definition_id]);
        self::assertSame(3, (int) DB::table('carried_hours')->where('feed_id', $feed->id)->sum('set_aside'));
    }

    #[Test]
    public function records_sent_again_land_after_a_rule_changed_and_never_over_a_newer_version(): void
    {
        $this->gate->run("UPDATE loads SET weight = '1,5' WHERE id IN (3, 4, 5)");
        $feed = $this->carry($this->treated(['columns' => [['from' => 'weight', 'steps' => [['convert' => 'decimal(8,2)']]]]]));
        self::assertSame(3, SetAside::waiting()->where('feed_id', $feed->id)->count());

        $this->touch("weight = '9.25'", 'id = 4');
        $feed = $this->carry($feed);
        self::assertSame('9.25', $this->house->value('SELECT weight FROM copy.loads WHERE id = 4'));
        self::assertSame(['overtaken'], SetAside::where('feed_id', $feed->id)->where('key', 'id = 4')->get()->map(static fn (SetAside $r): string => $r->standing())->all());

        FeedBook::change($feed, FeedDefinition::fromArray(['treatment' => ['columns' => [['from' => 'weight', 'steps' => [['derive' => "replace(value, ',', '.')"], ['convert' => 'decimal(8,2)']]]], 'failing' => 'set_aside']] + $feed->definition->body));
        $feed->refresh()->load('definition', 'route');
        self::assertSame(2, AsideDesk::send($feed, SetAside::where('feed_id', $feed->id)));
        $feed = $this->carry($feed);
        self::assertSame(['1.50', '1.50', '9.25'], array_column($this->house->rows('SELECT weight FROM copy.loads WHERE id IN (3, 4, 5) ORDER BY 1'), 'weight'));
        $run = $this->lastRun($feed);
        self::assertSame([2, 2, true], [$run->read, $run->inserted, $run->addsUp()]);
        self::assertSame(['sent' => 2, 'waiting' => 1], SetAside::where('feed_id', $feed->id)->get()->countBy('state')->sortKeys()->all());
        self::assertSame(0, AsideDesk::send($feed, SetAside::where('feed_id', $feed->id)));
    }

    #[Test]
    public function a_record_that_is_edited_lands_with_what_was_typed_and_one_that_fails_again_goes_on_waiting(): void
    {
        $this->gate->run("UPDATE loads SET weight = 'x' WHERE id <= 2");
        $feed = $this->carry($this->treated(['columns' => [['from' => 'weight', 'steps' => [['convert' => 'int32']]], ['from' => 'grower', 'steps' => [['mask' => 'keep_last', 'keep' => 1]]]]])->load('route'));
        self::assertSame([249, 2], [SetAside::where('feed_id', $feed->id)->where('reason', 'not_whole')->count(), SetAside::where('feed_id', $feed->id)->where('reason', 'not_a_number')->count()]);
        $one = SetAside::with('feed')->where('feed_id', $feed->id)->where('key', 'id = 1')->sole();
        self::assertSame('·····', $one->record['grower']);
        AsideDesk::edit($one, ['weight' => '77', 'grower' => '·····', 'kg' => '5', 'no_column' => 'x']);
        AsideDesk::send($feed, SetAside::where('feed_id', $feed->id)->whereIn('key', ['id = 1', 'id = 2']));
        $feed = $this->carry($feed);
        self::assertSame(['id' => '1', 'kg' => '5', 'grower' => '·······1', 'weight' => '77'], $this->house->row('SELECT id, kg, grower, weight FROM copy.loads WHERE id = 1'));
        self::assertSame(['waiting'], SetAside::where('feed_id', $feed->id)->where('key', 'id = 2')->pluck('state')->all());
        self::assertTrue($this->lastRun($feed)->addsUp());
    }

    #[Test]
    public function a_record_whose_key_was_edited_is_never_written_over_the_row_of_that_key(): void
    {
        $this->gate->run("UPDATE loads SET weight = 'x' WHERE id = 2; UPDATE loads SET weight = '1' WHERE id <> 2");
        $feed = $this->carry($this->treated(['columns' => [['from' => 'weight', 'steps' => [['convert' => 'int32']]]]])->load('route'));
        $one = SetAside::with('feed')->where('feed_id', $feed->id)->sole();
        $this->touch('kg = 4242', 'id = 1');
        $feed = $this->carry($feed);
        AsideDesk::edit($one, ['id' => '1', 'weight' => '5']);
        AsideDesk::send($feed->load('route'), SetAside::whereKey($one->id));
        $feed = $this->carry($feed);
        self::assertSame(['4242', '1'], array_values($this->house->row('SELECT kg, weight FROM copy.loads WHERE id = 1') ?? []));
        self::assertSame(['waiting', 'key_taken'], [$one->refresh()->state, $one->reason]);
        AsideDesk::edit($one->load('feed'), ['id' => '7001']);
        AsideDesk::send($feed->load('route'), SetAside::whereKey($one->id));
        $this->carry($feed);
        self::assertSame(['sent', '5'], [$one->refresh()->state, $this->house->value('SELECT weight FROM copy.loads WHERE id = 7001')]);
    }

    #[Test]
    public function many_records_are_sent_in_batches_each_with_its_receipt_and_a_pause_holds_between_them(): void
    {
        $this->gate->run("ALTER TABLE loads ALTER updated_at SET DEFAULT now() - interval '1 hour'; INSERT INTO loads (id, kg, weight) SELECT g, 1, 'x' FROM generate_series(1001, 6000) g; UPDATE loads SET weight = '1' WHERE id <= 1000");
        $feed = $this->carry($this->treated(['columns' => [['from' => 'weight', 'steps' => [['derive' => "replace(value, 'q', '')"], ['convert' => 'int32']]]]])->load('route'));
        self::assertSame(5000, SetAside::waiting()->where('feed_id', $feed->id)->count());
        FeedBook::change($feed, FeedDefinition::fromArray(['treatment' => ['columns' => [['from' => 'weight', 'steps' => [['derive' => "replace(value, 'x', '8')"], ['convert' => 'int32']]]], 'failing' => 'set_aside']] + $feed->definition->body));
        $feed->refresh()->load('definition', 'route');
        AsideDesk::send($feed, SetAside::where('feed_id', $feed->id));
        // Somebody pauses it while the first batch is on its way.
        $leases = new Leases('test');
        $lease = $leases->feed($feed->id) ?? self::fail('no lease');
        DB::listen(static function (QueryExecuted $q) use ($feed): void {
            if (str_contains($q->sql, 'insert into "run_lines"') && str_contains((string) json_encode($q->bindings), 'were sent again')) {
                FeedBook::pause([$feed]);
            }
        });
        (new FeedRunner(app(Systems::class), $leases, static fn (): bool => false))->run($lease);
        self::assertSame(['asked' => 3000, 'sent' => 2000], SetAside::where('feed_id', $feed->id)->get()->countBy('state')->sortKeys()->all());
        self::assertSame('2000', $this->house->value('SELECT count(*) FROM copy.loads WHERE weight = 8'));
        FeedBook::resume([$feed->refresh()]);
        app('events')->forget(QueryExecuted::class);
        $feed = $this->carry($feed);
        self::assertSame(['sent' => 5000], SetAside::where('feed_id', $feed->id)->get()->countBy('state')->all());
        // Each is marked with the receipt that holds it.
        $bySequence = SetAside::where('feed_id', $feed->id)->get()->countBy('sent_by')->all();
        foreach ($bySequence as $sequence => $records) {
            self::assertSame($records, (int) $feed->receipts()->where('sequence', $sequence)->value('read'), "receipt {$sequence}");
        }
    }

    #[Test]
    public function what_is_set_aside_or_sent_without_the_lease_counts_for_nothing(): void
    {
        $this->gate->run("UPDATE loads SET weight = 'x' WHERE id <= 3");
        $feed = $this->carry($this->treated(['columns' => [['from' => 'weight', 'steps' => [['convert' => 'decimal(8,2)']]]]])->load('route'));
        $definition = $feed->definition->parsed();
        $old = (new Leases('old'))->feed($feed->id) ?? self::fail('no lease');
        DB::update("UPDATE leases SET expires_at = clock_timestamp() - interval '1 second' WHERE feed_id = ?", [$feed->id]);
        $new = (new Leases('new'))->feed($feed->id) ?? self::fail('no lease');
        AsideDesk::send($feed, SetAside::where('feed_id', $feed->id));
        $before = SetAside::where('feed_id', $feed->id)->orderBy('id')->get()->toArray();
        $bounds = Bounds::of($definition->carried(), false, 1 << 20, []);
        $book = new AsideBook($feed->id, $feed->definition->id, $definition, $old);
        $unwritable = static function () use ($book): void {
            $book->addUnwritable(['9', '1', null, 'g', 'x'], Unwritable::zeroByte('weight'), new ApartPlace(1, 99, 'p'));
            $book->flush();
        };
        foreach ([fn () => Again::some($feed->id, $definition, $bounds, $old, 99, static fn (): bool => true), $unwritable, fn () => $book->overtakeAll(99), fn () => $book->begin(0)] as $do) {
            try {
                $do();
                self::fail('It was written down.');
            } catch (LeaseLost) {
                self::assertSame($before, SetAside::where('feed_id', $feed->id)->orderBy('id')->get()->toArray());
            }
        }
        (new Leases('new'))->release($new);
    }

    #[Test]
    public function what_nobody_has_touched_of_a_record_stays_as_it_is_when_another_value_is_edited(): void
    {
        $this->gate->run("UPDATE loads SET weight = 'x', grower = E'  keep\\n me  ' WHERE id = 1");
        $feed = $this->carry($this->treated(['columns' => [['from' => 'weight', 'steps' => [['convert' => 'decimal(8,2)']]]]]));
        $one = SetAside::where('feed_id', $feed->id)->where('key', 'id = 1')->sole();
        $this->actingAs($this->engineer());
        $this->get("/feeds/loads/set-aside/{$one->id}")->assertOk()->assertSee('<textarea class="textarea mono"', false)->assertSee("\n  keep\n me  </textarea>", false);
        // A form ends lines with a carriage return as well.
        $this->post("/feeds/loads/set-aside/{$one->id}", ['values' => ['id' => '1', 'weight' => ' 5 ', 'grower' => "  keep\r\n me  "]])->assertSessionHasNoErrors();
        self::assertSame(["  keep\n me  ", ' 5 '], [$one->refresh()->whole()['grower'], $one->whole()['weight']]);
        self::assertSame(['record' => $one->id, 'columns' => ['weight']], json_decode((string) DB::table('audit_entries')->where('action', 'edited a set-aside record of')->latest('id')->value('after'), true));
    }

    #[Test]
    public function many_records_are_edited_at_once_and_only_some_people_see_what_masks_hide(): void
    {
        $this->gate->run("UPDATE loads SET weight = 'x', grower = '".self::MARKER."' WHERE id <= 5");
        $feed = $this->carry($this->treated(['columns' => [['from' => 'weight', 'steps' => [['convert' => 'decimal(8,2)']]], ['from' => 'grower', 'steps' => [['mask' => 'null']]]]]));
        $one = SetAside::where('feed_id', $feed->id)->first();
        $this->actingAs($engineer = $this->engineer());
        $this->get("/feeds/loads/set-aside/{$one->id}")->assertOk()->assertDontSee(self::MARKER)->assertDontSee('Show what masks hide');
        $this->post("/feeds/loads/set-aside/{$one->id}/reveal")->assertForbidden();
        $engineer->update(['sees_personal' => true]);
        $before = (int) DB::table('audit_entries')->max('id');
        // Who was given another right signs in again.
        $this->flushSession();
        $this->actingAs($engineer->refresh());
        $this->get("/feeds/loads/set-aside/{$one->id}")->assertDontSee(self::MARKER)->assertSee('Show what masks hide');
        $this->post("/feeds/loads/set-aside/{$one->id}/reveal")->assertOk()->assertSee(self::MARKER);
        self::assertSame(1, DB::table('audit_entries')->where('action', 'looked at what masks hide in a set-aside record of')->where('id', '>', $before)->count());

        $this->post('/feeds/loads/set-aside', ['act' => 'edit', 'all' => '1', 'column' => 'no_such', 'value' => '1'])->assertSessionHasErrors('column');
        $this->post('/feeds/loads/set-aside', ['act' => 'edit', 'records' => [$one->id], 'column' => 'weight', 'value' => '1.5'])->assertSessionHas('done', static fn (string $said): bool => str_starts_with($said, 'weight is set in 1 record.'));
        $this->post('/feeds/loads/set-aside', ['act' => 'edit', 'all' => '1', 'column' => 'weight', 'null' => '1'])->assertSessionHas('done');
        $this->post('/feeds/loads/set-aside', ['act' => 'send', 'all' => '1'])->assertSessionHas('done');
        $this->carry($feed->refresh());
        self::assertSame('5', $this->house->value('SELECT count(*) FROM copy.loads WHERE id <= 5 AND weight IS NULL AND grower IS NULL'));
        self::assertSame([self::MARKER], array_values(array_unique(SetAside::where('feed_id', $feed->id)->get()->map(static fn (SetAside $r): string => (string) $r->whole()['grower'])->all())));
    }

    #[Test]
    public function what_a_batch_that_never_landed_had_set_aside_is_taken_back(): void
    {
        $this->gate->run("UPDATE loads SET weight = 'x' WHERE id = 1");
        $feed = $this->treated(['columns' => [['from' => 'weight', 'steps' => [['convert' => 'decimal(8,2)']]]]]);
        $this->house->run("CREATE SCHEMA copy; CREATE FUNCTION copy.no() RETURNS trigger LANGUAGE plpgsql AS $$ BEGIN RAISE EXCEPTION 'not today'; END $$");
        $this->house->run('CREATE TABLE copy.loads (id int PRIMARY KEY, kg int, updated_at timestamptz NOT NULL, grower text, weight numeric(8,2), delivered_at timestamptz, source_position text)');
        $this->house->run('CREATE TRIGGER no BEFORE INSERT ON copy.loads FOR EACH STATEMENT EXECUTE FUNCTION copy.no()');
        $feed = $this->carry($feed);
        self::assertSame('failed', $feed->standing);
        self::assertSame([1, 0], [SetAside::where('feed_id', $feed->id)->count(), SetAside::waiting()->where('feed_id', $feed->id)->count()]);
        $this->house->run('DROP TRIGGER no ON copy.loads');
        FeedBook::resume([$feed]);
        $feed = $this->carry($feed);
        self::assertSame([1, 1], [SetAside::where('feed_id', $feed->id)->count(), SetAside::waiting()->where('feed_id', $feed->id)->count()]);
        self::assertSame('499', $this->house->value('SELECT count(*) FROM copy.loads'));
    }

    #[Test]
    public function a_reload_replaces_what_an_earlier_one_had_set_aside(): void
    {
        $this->gate->run("UPDATE loads SET weight = 'x' WHERE id = 1");
        $feed = $this->carry($this->treated(['columns' => [['from' => 'weight', 'steps' => [['convert' => 'decimal(8,2)']]], ['from' => 'id', 'drop' => true]], 'checks' => [['check' => 'unique', 'columns' => ['grower'], 'else' => 'drop']]], ['capture' => Capture::Reload, 'landing' => Landing::Replace, 'watermark' => null]));
        $this->gate->run("UPDATE loads SET grower = 'grower 9' WHERE id = 11");
        $feed->update(['due_at' => now()]);
        $feed = $this->carry($feed);
        self::assertSame(1, SetAside::waiting()->where('feed_id', $feed->id)->count());
        self::assertSame(2, SetAside::where('feed_id', $feed->id)->count());
        self::assertSame([500, 498, 1, 1], [($run = $this->lastRun($feed))->read, $run->inserted, $run->dropped, $run->set_aside]);
        self::assertTrue($run->addsUp());
        // What is mended goes beside what the last reload brought, until the next one reads the source afresh.
        AsideDesk::edit(SetAside::waiting()->with('feed')->where('feed_id', $feed->id)->sole(), ['weight' => '3']);
        AsideDesk::send($feed->load('route'), SetAside::where('feed_id', $feed->id));
        $this->gate->run('DELETE FROM loads WHERE id > 100');
        $feed->update(['due_at' => now()]);
        $feed = $this->carry($feed);
        self::assertSame('98', $this->house->value('SELECT count(*) FROM copy.loads'));
        self::assertSame(1, SetAside::waiting()->where('feed_id', $feed->id)->count());
        self::assertTrue($this->lastRun($feed)->addsUp());
    }

    #[Test]
    public function a_check_that_stops_the_feed_lands_nothing_of_the_batch(): void
    {
        $this->gate->run('UPDATE loads SET kg = -5 WHERE id = 400');
        $feed = $this->carry($this->treated(['checks' => [['check' => 'range', 'columns' => ['kg'], 'from' => '0', 'else' => 'stop']]]));
        self::assertSame(['failed', null], [$feed->standing, $feed->due_at]);
        self::assertStringContainsString('kg is "-5"', $feed->trouble->message);
        self::assertSame('0', $this->house->value('SELECT count(*) FROM copy.loads'));
        $this->gate->run('UPDATE loads SET kg = 5 WHERE id = 400');
        FeedBook::resume([$feed]);
        self::assertSame('on time', $this->carry($feed)->state());
    }

    #[Test]
    public function a_masked_value_is_nowhere_in_clear(): void
    {
        $this->gate->run("UPDATE loads SET grower = '".self::MARKER."', weight = 'x' WHERE id = 5; UPDATE loads SET grower = '".self::MARKER."' WHERE id IN (6, 7)");
        file_put_contents($log = storage_path('logs/laravel.log'), '', FILE_APPEND);
        $from = (int) filesize($log);
        $feed = $this->carry($this->treated([
            'columns' => [['from' => 'grower', 'steps' => [['convert' => 'varchar(10)', 'else' => 'fail'], ['mask' => 'keyed_hash']]], ['from' => 'weight', 'steps' => [['convert' => 'decimal(8,2)']]], ['as' => 'shout', 'steps' => [['derive' => 'upper(grower)']]]],
            'checks' => [['check' => 'pattern', 'columns' => ['grower'], 'as_read' => true, 'pattern' => '^g', 'else' => 'set_aside'], ['check' => 'expression', 'expression' => "not (as_read('grower') contains 'Quill')", 'else' => 'set_aside']],
        ]));
        self::assertSame(3, SetAside::waiting()->where('feed_id', $feed->id)->count());
        $this->touch("grower = '".self::MARKER."'", 'id = 8');
        $feed = $this->carry($feed);

        $this->actingAs($this->engineer());
        $pages = '';
        foreach (['', '/columns?sample=first&row=4', '/checks', '/set-aside', '/runs', '/rehearse?sample=first&at=4', '/set-aside.jsonl', '/set-up', '/versions'] as $path) {
            $response = $this->get("/feeds/loads{$path}");
            $response->assertOk();
            // Only the sheet itself shows an engineer what the source says, beside what becomes of it.
            $pages .= str_starts_with($path, '/columns') ? '' : ($path === '/set-aside.jsonl' ? $response->streamedContent() : (string) $response->getContent());
        }
        $pages .= $this->get('/feeds/loads/set-aside/'.SetAside::where('feed_id', $feed->id)->first()->id)->getContent();
        $pages .= $this->get('/runs/'.$feed->last_run_id)->getContent().$this->get('/decisions')->getContent().$this->get('/audit')->getContent();
        $pages .= $this->post('/feeds/loads/rehearse', ['typed' => json_encode(['id' => 1, 'grower' => 'x', 'weight' => 'y'])])->getContent();
        Artisan::call('feed:rehearse', ['name' => 'loads', '--json' => true, '--where' => 'id <= 8', '--rows' => 50]);
        $pages .= Artisan::output();
        self::assertStringNotContainsString(self::MARKER, $pages);
        self::assertStringContainsString('a mask hides the value', $pages);

        foreach ([[$this->house, 'copy.loads'], [$this->house, 'lighterman.receipt'], [$this->house, 'lighterman.position']] as [$connection, $table]) {
            self::assertSame('0', $connection->value("SELECT count(*) FROM {$table} t WHERE t::text ILIKE '%zebedee%' OR t::text LIKE '%Quill%'"), $table);
        }
        foreach (['set_aside', 'runs', 'run_lines', 'feeds', 'receipts', 'audit_entries', 'treatment_drafts', 'definitions', 'cache'] as $table) {
            self::assertSame(0, (int) DB::scalar("SELECT count(*) FROM {$table} t WHERE t::text LIKE ?", ['%'.self::MARKER.'%']), $table);
        }
        self::assertStringNotContainsString(self::MARKER, (string) file_get_contents($log, offset: $from));
        // It is not lost all the same.
        self::assertSame(self::MARKER, SetAside::where('feed_id', $feed->id)->first()->whole()['grower']);
    }

    #[Test]
    public function a_viewer_is_not_shown_what_a_mask_keeps_out_of_the_target(): void
    {
        $this->gate->run("UPDATE loads SET grower = '".self::MARKER."'");
        $feed = $this->treated(['columns' => [['from' => 'grower', 'steps' => [['mask' => 'null']]]]]);
        $viewer = $this->person('viewer', 'viewer');
        $page = (string) $this->actingAs($viewer)->get('/feeds/loads/columns')->assertOk()->getContent();
        self::assertStringNotContainsString(self::MARKER, $page);
        $this->get('/feeds/loads/rehearse')->assertForbidden();
        $this->post('/feeds/loads/set-aside', ['act' => 'send'])->assertForbidden();
        self::assertNotNull($feed);
    }

    #[Test]
    public function saving_a_draft_alters_the_landed_table_and_going_back_does_too(): void
    {
        $feed = $this->carry($this->feed());
        $this->actingAs($this->engineer());
        $this->post('/feeds/loads/columns/act', ['act' => 'derive', 'name' => 'double', 'expression' => 'kg * 2'])->assertRedirect();
        $this->post('/feeds/loads/columns/line', ['line' => 3, 'as' => 'grower_ref', 'steps' => [['do' => 'mask', 'mask' => 'keyed_hash']]])->assertRedirect();
        $page = (string) $this->get('/feeds/loads/columns')->assertOk()->getContent();
        self::assertStringContainsString('it is not stated what becomes of a record', $page);
        $this->post('/feeds/loads/checks', ['act' => 'outcome', 'failing' => 'set_aside'])->assertRedirect();
        $page = (string) $this->get('/feeds/loads/columns')->assertOk()->getContent();
        self::assertStringContainsString('RENAME COLUMN &quot;grower&quot; TO &quot;grower_ref&quot;', $page);
        self::assertStringContainsString('ADD COLUMN &quot;double&quot; numeric', $page);
        self::assertNull($this->house->row("SELECT 1 FROM information_schema.columns WHERE table_name = 'loads' AND column_name = 'double'"));

        $this->post('/feeds/loads/columns/act', ['act' => 'save'])->assertRedirect()->assertSessionHas('done', static fn (string $said): bool => str_contains($said, 'version 2') && str_contains($said, 'keep grower in clear'));
        $this->touch('kg = kg', 'id = 1');
        $this->carry($feed);
        $row = $this->house->row('SELECT * FROM copy.loads WHERE id = 1');
        self::assertSame(['2', true], [$row['double'] ?? null, (bool) preg_match('/^[0-9a-f]{32}$/', (string) ($row['grower_ref'] ?? ''))]);
        self::assertSame(bin2hex(sodium_crypto_generichash('grower 1', MaskKey::secretOf('default'), 16)), $row['grower_ref'] ?? null);
        self::assertSame(2, $this->lastRun($feed)->definition->version);

        $page = (string) $this->get('/feeds/loads/versions?a=1&b=2')->assertOk()->getContent();
        self::assertStringContainsString('column grower', $page);
        $this->post('/feeds/loads/versions/back', ['version' => 1])->assertRedirect();
        self::assertSame(3, $feed->refresh()->load('definition')->definition->version);
        self::assertSame($feed->definitions()->where('version', 1)->sole()->body, $feed->definition->body);
        $this->touch('kg = 4', 'id = 2');
        $this->carry($feed);
        self::assertSame('grower 2', $this->house->value('SELECT grower FROM copy.loads WHERE id = 2'));
    }

    #[Test]
    public function what_would_break_rows_that_are_there_is_refused_before_anything_changes(): void
    {
        $feed = $this->carry($this->feed())->load('route.source', 'route.target', 'definition');
        $wanted = DraftBook::definition($feed, Treatment::fromArray(['columns' => [['from' => 'weight', 'steps' => [['convert' => 'decimal(8,2)']]]], 'failing' => 'drop']));
        try {
            DraftBook::save($feed, $wanted, app(Systems::class));
            self::fail('saved');
        } catch (RuntimeException $e) {
            self::assertStringContainsString('does not hold every decimal(8,2)', $e->getMessage());
        }
        self::assertSame(1, $feed->definitions()->count());
        foreach ([[['from' => 'id', 'drop' => true]], [['from' => 'id', 'steps' => [['mask' => 'keyed_hash']]]], [['from' => 'updated_at', 'steps' => [['mask' => 'month']]]], [['from' => 'kg', 'as' => 'delivered_at']]] as $columns) {
            try {
                DraftBook::definition($feed, Treatment::fromArray(['columns' => $columns, 'failing' => 'drop']));
                self::fail('accepted '.json_encode($columns));
            } catch (InvalidDefinition $e) {
                self::assertNotSame('', $e->remedy()->said);
            }
        }
    }

    #[Test]
    public function many_columns_are_renamed_masked_and_dropped_at_once(): void
    {
        $this->feed();
        $this->actingAs($this->engineer());
        $post = fn (array $what) => $this->post('/feeds/loads/columns/act', $what);
        $post(['act' => 'rename_list', 'list' => "kg,Gross weight\ngrower\tGrower\nnothing;Nobody"])->assertSessionHas('done', static fn (string $said): bool => str_contains($said, 'no column is called nothing'));
        $post(['act' => 'rename_pattern', 'find' => '^(\w+) weight$', 'put' => '$1_kg', 'case' => 'snake']);
        $post(['act' => 'drop', 'lines' => [4]]);
        $post(['act' => 'mask:keep_shape', 'lines' => [3]]);
        $post(['act' => 'drop'])->assertSessionHasErrors();
        $post(['act' => 'rename_list', 'list' => 'only one name'])->assertSessionHasErrors();
        $post(['act' => 'rename_pattern', 'find' => '('])->assertSessionHasErrors();
        $post(['act' => 'up', 'line' => 3]);
        $draft = DraftBook::treatment(Feed::sole());
        $read = Feed::with('definition')->sole()->definition->parsed()->carried();
        self::assertSame(['id', 'gross_kg', 'grower', 'updated_at', 'weight'], array_map(static fn ($l): string => $l->name(), $draft->sheet($read)));
        self::assertSame(['keep', 'keep', 'keep shape', 'keep', 'drop'], array_map(static fn ($l): string => $l->sentence(), $draft->sheet($read)));
        $post(['act' => 'discard']);
        self::assertNull(DraftBook::of(Feed::sole()));
    }

    #[Test]
    public function nested_values_are_flattened_by_what_is_in_them(): void
    {
        $this->gate->run("ALTER TABLE loads ADD recipe jsonb; UPDATE loads SET recipe = jsonb_build_object('passes', id, 'yeast', 'Vale', 'share', id * 0.5, 'deep', '{\"a\": 1}'::jsonb)");
        $feed = $this->feed();
        $this->actingAs($this->engineer());
        $this->post('/feeds/loads/columns/act', ['act' => 'flatten', 'line' => 5, 'naming' => 'r_{name}', 'rest' => '1'])->assertRedirect();
        $this->post('/feeds/loads/checks', ['act' => 'outcome', 'failing' => 'set_aside']);
        $this->post('/feeds/loads/columns/act', ['act' => 'save'])->assertSessionHasNoErrors();
        $this->carry($feed->refresh());
        $row = $this->house->row('SELECT r_passes, r_yeast, r_share, r_deep, recipe_rest FROM copy.loads WHERE id = 3') ?? [];
        self::assertSame(['3', 'Vale', '1.5', '{"a": 1}', '{}'], array_values($row));
    }

    #[Test]
    public function a_list_becomes_rows_and_what_fails_of_it_can_be_mended(): void
    {
        $this->gate->run("ALTER TABLE loads ADD parts int[]; UPDATE loads SET parts = ARRAY[id, NULL, -id] WHERE id <= 3; UPDATE loads SET parts = '{}' WHERE id = 4; DELETE FROM loads WHERE id > 5");
        $treatment = ['explode' => ['column' => 'parts', 'number' => 'part_no'], 'columns' => [['from' => 'parts', 'as' => 'part']], 'checks' => [['check' => 'range', 'columns' => ['part'], 'from' => '0', 'else' => 'set_aside']]];
        $reload = ['capture' => Capture::Reload, 'watermark' => null, 'landing' => Landing::Append];
        $feed = $this->carry($this->treated($treatment, $reload));
        $run = $this->lastRun($feed);
        self::assertSame([11, 8, 3, true], [$run->read, $run->inserted, $run->set_aside, $run->addsUp()]);
        self::assertSame(['1|1|1', '1||2', '2|2|1', '2||2', '3|3|1', '3||2', '4||0', '5||0'], array_map(static fn (array $r): string => implode('|', $r), $this->house->rows('SELECT id, part, part_no FROM copy.loads ORDER BY id, part_no')));
        $one = SetAside::with('feed')->where('feed_id', $feed->id)->where('key', 'id = 2')->sole();
        self::assertSame(['-2', '3'], [$one->record['parts'], $one->record['part_no']]);
        $this->actingAs($this->engineer());
        $this->get("/feeds/loads/rehearse?aside={$one->id}")->assertOk()->assertSee('part is &quot;-2&quot;', false);
        $this->get('/feeds/loads/rehearse?sample=first')->assertOk()->assertSee('3 set aside');
        $this->get('/feeds/loads/columns?sample=first')->assertOk()->assertSee('a record for each element of parts, numbered by part_no');
        AsideDesk::edit($one, ['parts' => '20']);
        $this->gate->run('DELETE FROM loads');
        AsideDesk::send($feed->load('route'), SetAside::whereKey($one->id));
        $this->carry($feed->refresh());
        self::assertSame('3', $this->house->value('SELECT part_no FROM copy.loads WHERE part = 20'));

        $this->post('/feeds/loads/columns/act', ['act' => 'explode_no_more']);
        self::assertNull(DraftBook::treatment($feed)->explode);
        $this->expectExceptionMessage('its elements share the key of their row');
        $this->treated($treatment, ['name' => 'another', 'landed' => new TableName('copy', 'another'), 'capture' => Capture::Trigger, 'watermark' => null]);
    }

    #[Test]
    public function of_a_list_one_element_fails_by_itself_and_a_row_that_fails_whole_is_mended_whole(): void
    {
        config(['lighterman.value_bytes' => 1 << 20]);
        $this->gate->run("ALTER TABLE loads ADD parts text; DELETE FROM loads WHERE id > 4; UPDATE loads SET parts = '[1, 2]' WHERE id = 1; UPDATE loads SET parts = 'oops' WHERE id = 2; UPDATE loads SET parts = '[7, 8]', weight = repeat('y', 1048577) WHERE id = 3");
        // Of the last, only the target knows that it does not take the second.
        $this->gate->run('UPDATE loads SET parts = \'[3, {"x": "\u0000"}, 4]\' WHERE id = 4');
        $treatment = ['explode' => ['column' => 'parts', 'number' => 'part_no'], 'columns' => [['from' => 'parts', 'as' => 'part', 'steps' => [['convert' => 'jsonb']]]], 'checks' => [['check' => 'expression', 'expression' => "as_read('parts') != '13'", 'else' => 'set_aside']]];
        $feed = $this->carry($this->treated($treatment, ['capture' => Capture::Reload, 'watermark' => null]));
        $landed = fn (): string => (string) $this->house->value("SELECT string_agg(id || ':' || part_no || '=' || part::text, ' ' ORDER BY id, part_no) FROM copy.loads");
        self::assertSame('on time', $feed->state(), (string) $feed->trouble?->message);
        self::assertSame('1:1=1 1:2=2 4:1=3 4:3=4', $landed());
        $apart = SetAside::with('feed')->where('feed_id', $feed->id)->get()->keyBy('key');
        self::assertEquals(['id = 2' => 'not_json', 'id = 3' => 'too_long', 'id = 4' => 'target_refuses'], $apart->map(static fn (SetAside $r): string => $r->reason)->all());
        self::assertSame([null, null, '2'], [$apart['id = 2']->record['part_no'], $apart['id = 3']->record['part_no'], $apart['id = 4']->record['part_no']]);

        $mend = function (string $key, array $values) use ($apart, $feed): string {
            AsideDesk::edit($apart[$key]->refresh()->load('feed'), $values);
            AsideDesk::send($feed->refresh()->load('route'), SetAside::whereKey($apart[$key]->id));
            $this->gate->run('TRUNCATE loads');
            $this->carry($feed->refresh());

            return $apart[$key]->refresh()->standing();
        };
        self::assertSame('waiting', $mend('id = 2', ['parts' => '[12, 13, 14]']), 'one of the three fails, so none lands');
        self::assertSame('1:1=1 1:2=2 4:1=3 4:3=4', $landed());
        self::assertSame(['sent', 'sent', 'sent'], [$mend('id = 2', ['parts' => '[12, 14]']), $mend('id = 3', ['weight' => '9']), $mend('id = 4', ['parts' => '{"x": "y"}'])]);
        self::assertSame('1:1=1 1:2=2 2:1=12 2:2=14 3:1=7 3:2=8 4:1=3 4:2={"x": "y"} 4:3=4', $landed());
        foreach (Run::where('feed_id', $feed->id)->get() as $run) {
            self::assertTrue($run->addsUp(), "run {$run->id}");
        }
    }

    #[Test]
    public function names_are_looked_up_in_another_system_in_few_queries(): void
    {
        $this->house->run("CREATE TABLE regions (code int PRIMARY KEY, name text); INSERT INTO regions SELECT g, 'region ' || g FROM generate_series(0, 40) g; INSERT INTO regions VALUES (41, NULL)");
        $lookup = ['lookup' => 'public.regions', 'system' => 'house', 'match' => 'code', 'take' => 'name', 'match_type' => 'int32', 'type' => 'text'];
        $feed = $this->carry($this->treated(['columns' => [
            ['from' => 'kg', 'as' => 'region', 'steps' => [['derive' => 'value % 45', 'type' => 'int32'], $lookup + ['else' => 'use', 'use' => 'nowhere']]], ['from' => 'grower', 'as' => 'odd', 'steps' => [$lookup + ['else' => 'null']]],
        ]]));
        self::assertSame('500', $this->house->value("SELECT count(*) FROM copy.loads WHERE odd IS NULL AND region IS NOT DISTINCT FROM CASE WHEN id % 45 < 41 THEN 'region ' || id % 45 WHEN id % 45 = 41 THEN NULL ELSE 'nowhere' END"));
        self::assertTrue($this->lastRun($feed)->addsUp());

        FeedBook::change($feed->load('definition'), FeedDefinition::fromArray(['treatment' => ['columns' => [['from' => 'kg', 'as' => 'region', 'steps' => [['derive' => 'value % 45', 'type' => 'int32'], $lookup]], ['from' => 'grower', 'as' => 'odd']], 'failing' => 'set_aside']] + $feed->definition->body));
        $this->touch('kg = kg', 'id <= 90');
        $feed = $this->carry($feed);
        self::assertSame([6, 'not_found'], [SetAside::waiting()->where('feed_id', $feed->id)->count(), SetAside::where('feed_id', $feed->id)->first()->reason]);
        self::assertStringContainsString('region: the value is not found in the lookup: "42"', SetAside::where('feed_id', $feed->id)->first()->message);

        // A table that is gone stops the feed; nothing is taken for not found.
        $this->house->run('DROP TABLE regions');
        $this->touch('kg = 3', 'id = 1');
        app(Systems::class)->forget();
        $feed = $this->carry($feed);
        self::assertSame('failed', $feed->standing);
        self::assertSame(6, SetAside::where('feed_id', $feed->id)->count());
    }

    #[Test]
    public function of_a_key_with_several_values_none_is_taken_and_very_many_keys_are_asked_for_together(): void
    {
        $this->house->run("CREATE TABLE words (k text, v text); CREATE INDEX ON words (k); INSERT INTO words SELECT 'grower ' || g, 'w' || g FROM generate_series(1, 6000) g; INSERT INTO words VALUES ('grower 7', 'w7'), ('grower 8', 'other')");
        $this->gate->run("INSERT INTO loads (id, kg, updated_at, grower, weight) SELECT g, g, now() - interval '1 day', 'grower ' || g, '1' FROM generate_series(501, 6000) g");
        $feed = $this->carry($this->treated(['columns' => [['from' => 'grower', 'steps' => [['lookup' => 'public.words', 'system' => 'house', 'match' => 'k', 'take' => 'v', 'match_type' => 'text', 'type' => 'text']]]]]));
        self::assertSame('on time', $feed->state(), (string) $feed->trouble?->message);
        $one = SetAside::where('feed_id', $feed->id)->sole();
        self::assertSame(['id = 8', 'several_found'], [$one->key, $one->reason]);
        self::assertSame(['w7', '5999'], array_values($this->house->row("SELECT (SELECT grower FROM copy.loads WHERE id = 7) AS a, (SELECT count(*) FROM copy.loads WHERE grower = 'w' || id) AS b") ?? []));
        self::assertMatchesRegularExpression('/Lookups took [3-6] queries/', implode("\n", $this->lastRun($feed)->lines()->pluck('said')->all()));
    }

    #[Test]
    public function a_lookup_is_written_on_the_sheet_and_says_what_is_not_there(): void
    {
        $this->house->run("CREATE TABLE regions (code int PRIMARY KEY, name varchar(30)); INSERT INTO regions SELECT g, 'region ' || g FROM generate_series(0, 500) g");
        $this->feed();
        $this->actingAs($this->engineer());
        $this->post('/feeds/loads/columns/line', ['line' => 1, 'as' => 'kg', 'add' => 'lookup'])->assertRedirect();
        $this->get('/feeds/loads/columns?line=1')->assertOk()->assertSee('It is not said yet in which table it is looked up')->assertSee('500');
        $step = ['do' => 'lookup', 'system' => 'house', 'lookup' => 'public.regions', 'match' => 'code', 'take' => 'title', 'age_minutes' => '5'];
        $this->postJson('/feeds/loads/columns/line', ['line' => 1, 'as' => 'region', 'steps' => [$step]])->assertJson(['error' => 'house.public.regions has no column "title". It has code, name.']);
        $this->postJson('/feeds/loads/columns/line', ['line' => 1, 'as' => 'region', 'steps' => [['system' => 'moon'] + $step]])->assertJson(['error' => 'There is no system "moon". There are gate, house.']);
        $told = $this->postJson('/feeds/loads/columns/line', ['line' => 1, 'as' => 'region', 'steps' => [['take' => 'name'] + $step]])->assertJson(['error' => null])->json();
        self::assertStringContainsString('region 500', $told['sheet']);
        self::assertStringContainsString('varchar(30)', $told['sheet']);
        self::assertStringContainsString('look up regions.name, 5 min', $told['sheet']);
    }

    #[Test]
    public function what_is_only_counted_changes_nothing_and_is_told_by_hour_with_samples(): void
    {
        $feed = $this->carry($this->treated(['columns' => [['from' => 'grower', 'steps' => [['mask' => 'keyed_hash']]]], 'checks' => [['check' => 'range', 'columns' => ['kg'], 'to' => '400', 'else' => 'drop'], ['check' => 'range', 'columns' => ['kg'], 'from' => '3', 'else' => 'warn']],
            'watch' => [['name' => 'small', 'expression' => 'kg <= 10'], ['name' => 'divided', 'expression' => '100 / (kg - 5) > 90'], ['name' => 'none', 'expression' => "grower == 'grower 1'"]]]));
        self::assertSame([500, 400, 100, 0], [($run = $this->lastRun($feed))->read, $run->inserted, $run->dropped, $run->set_aside]);
        $told = WatchedRecords::of($feed);
        self::assertSame([[400, 10], [400, 1], [400, 0]], array_map(static fn (string $n): array => [$told[$n]->landed, $told[$n]->matched], ['small', 'divided', 'none']));
        self::assertSame(0.025, $told['small']->share());
        self::assertSame(0.025, $told['small']->rates[23]);
        self::assertSame('6', (string) $told['divided']->samples[0]['record']['kg']);
        self::assertStringNotContainsString('grower', (string) json_encode(array_map(static fn (array $s): mixed => $s['record']['grower'], $told['small']->samples)));

        $this->actingAs($this->engineer());
        $this->post('/feeds/loads/checks', ['act' => 'count', 'name' => 'small', 'expression' => 'kg < 5'])->assertSessionHasErrors();
        $this->post('/feeds/loads/checks', ['act' => 'count', 'name' => 'wrong', 'expression' => 'kgs < 5'])->assertSessionHasNoErrors();
        $this->get('/feeds/loads/checks')->assertOk()->assertSee('There is no column "kgs". Did you mean "kg"?')->assertSee('10 of 400');
        $this->post('/feeds/loads/checks', ['act' => 'count_no_more', 'name' => 'wrong']);
        self::assertNull(DraftBook::of($feed));
    }

    #[Test]
    public function the_sums_hold_on_every_run_over_random_records_and_rules(): void
    {
        mt_srand($seed = random_int(1, PHP_INT_MAX));
        $feed = $this->treated(['checks' => [['check' => 'required', 'columns' => ['kg'], 'else' => 'warn']]]);
        for ($round = 0; $round < 5; $round++) {
            $pick = static fn (array $of): mixed => $of[mt_rand(0, count($of) - 1)];
            $checks = array_map(static fn (): array => ['else' => $pick(['set_aside', 'drop', 'warn'])] + $pick([['check' => 'range', 'columns' => ['kg'], 'from' => (string) mt_rand(0, 200)], ['check' => 'pattern', 'columns' => ['weight'], 'pattern' => '[05]$'], ['check' => 'list', 'columns' => ['grower'], 'values' => ['a', 'b']], ['check' => 'expression', 'expression' => 'kg % 3 != 0']]), range(0, mt_rand(0, 3)));
            $convert = ['convert' => 'text'] + $pick([[], ['else' => 'null']]);
            FeedBook::change($feed->load('definition'), FeedDefinition::fromArray(['treatment' => ['columns' => [['as' => 'third', 'steps' => [['derive' => 'number(weight) / (kg % 7)'], $convert]]], 'checks' => $checks, 'failing' => $pick(['set_aside', 'drop'])]] + $feed->definition->body));
            if ($round === 1) {
                $this->house->run('ALTER TABLE copy.loads ADD COLUMN IF NOT EXISTS third text');
            }
            $this->touch('weight = (random() * 100)::int::text, grower = chr(97 + (random() * 3)::int), kg = (random() * 400)::int', 'random() < 0.4');
            $feed->refresh()->load('route', 'definition');
            AsideDesk::send($feed, SetAside::where('feed_id', $feed->id)->whereRaw('random() < 0.5'));
            FeedBook::resume([$feed]);
            $feed = $this->carry($feed->refresh());
            if ($round === 0) {
                $this->carry($feed);
            }
        }
        $runs = Run::where('feed_id', $feed->id)->where('read', '>', 0)->get();
        self::assertGreaterThan(3, $runs->count(), "seed {$seed}");
        foreach ($runs as $run) {
            self::assertTrue($run->addsUp(), "seed {$seed}, run {$run->id}");
            // Records that were sent again and failed again keep the run that first set them aside.
            self::assertLessThanOrEqual($run->set_aside, SetAside::where('feed_id', $feed->id)->where('run_id', $run->id)->count());
        }
    }
}
