<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\DraftBook;
use App\Models\Feed;
use App\Models\Person;
use App\Models\SetAside;
use App\Runtime\Common\Systems;
use App\Runtime\Query\FeedRunner;
use App\Runtime\Work\Leases;
use App\Runtime\Worker;
use Illuminate\Support\Facades\Artisan;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Route;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Treatment\Treatment;
use PHPUnit\Framework\Attributes\Test;

/** What a mask hides is hidden on every page, for everybody who is not to see it, and in every table of ours; and from the next batch on. */
final class HiddenValuesTest extends AppCase
{
    private const OWN = 'Zebedee-Quill-0918';

    private const FORKED = 'Perpetua-Nail-4471';

    private const KEY = 'KEY-88-31-UNSEEN';

    private function planted(): Feed
    {
        $this->gate->run("ALTER TABLE loads ADD grower text, ADD note text, ADD code text, ADD doc jsonb; UPDATE loads SET grower = 'grower ' || id, note = 'plain', code = 'c' || id, doc = '{}'");
        $this->gate->run("UPDATE loads SET grower = '".self::OWN."', note = '".self::FORKED."', code = '".self::KEY."' WHERE id = 5; UPDATE loads SET grower = '".self::OWN."', kg = -1 WHERE id = 6; UPDATE loads SET grower = '".self::OWN."', note = '".self::FORKED."', doc = '{\"a\": \"\\\\\\\\u0000\"}' WHERE id = 7");

        return $this->feed(['key' => ['code'], 'capture' => Capture::Reload, 'watermark' => null, 'landing' => Landing::Replace, 'treatment' => Treatment::fromArray([
            'failing' => 'set_aside', 'otherwise' => 'land',
            'columns' => [['from' => 'grower', 'steps' => [['mask' => 'keyed_hash']]], ['from' => 'code', 'steps' => [['mask' => 'keyed_hash']]]],
            'checks' => [['check' => 'range', 'columns' => ['kg'], 'from' => '0', 'else' => 'set_aside'], ['check' => 'expression', 'expression' => "not (as_read('grower') contains 'Quill') or kg >= 0", 'else' => 'set_aside']],
            'watch' => [['name' => 'all', 'expression' => 'kg >= 0'], ['name' => 'noted', 'expression' => "note != 'plain'"]],
            'forks' => [['name' => 'noted', 'when' => "note != 'plain'", 'landed' => 'copy.noted', 'columns' => [['from' => 'note', 'steps' => [['mask' => 'keep_shape']]]]]],
        ])]);
    }

    private function her(): Person
    {
        return Person::where('name', 'engineer')->first() ?? $this->engineer();
    }

    /** @return array<string, string> what every page says that can be asked for, by its path */
    private function pages(Feed $feed): array
    {
        $values = ['feed' => rawurlencode($feed->name), 'record' => (string) SetAside::where('feed_id', $feed->id)->value('id'), 'run' => (string) $feed->last_run_id, 'route' => (string) $feed->route_id, 'system' => 'gate', 'path' => 'x'];
        $said = [];
        foreach (Route::getRoutes()->getRoutes() as $route) {
            $path = '/'.preg_replace_callback('/\{(\w+)\??\}/', static fn (array $m): string => $values[$m[1]] ?? 'x', $route->uri());
            foreach (in_array('GET', $route->methods(), true) && $route->uri() !== '/' ? ['', '?sample=first&row=4', '?q=Quill&holds=Quill', '?key[code]='.self::KEY.'&code='.self::KEY] : [] as $query) {
                $response = $this->get($path.$query);
                self::assertLessThan(500, $response->getStatusCode(), $path.$query);
                // What somebody asked for by its name stands in the address and in the field, and nowhere else.
                $text = $response->baseResponse instanceof \Symfony\Component\HttpFoundation\StreamedResponse ? $response->streamedContent() : (string) $response->getContent();
                $said[$path.$query] = str_replace(['value="'.self::KEY.'"', '='.self::KEY], '', $text);
            }
        }

        return $said;
    }

    private function assertNowhere(string $text, string $where): void
    {
        foreach ([self::OWN, self::FORKED, self::KEY] as $planted) {
            self::assertFalse(str_contains($text, $planted), "{$where} says {$planted}: …".mb_substr($text, max(0, (int) mb_strpos($text, $planted) - 120), 240));
        }
    }

    private function assertKeptNowhere(): void
    {
        foreach (DB::select("SELECT table_name AS name FROM information_schema.tables WHERE table_schema = 'public' AND table_type = 'BASE TABLE'") as $table) {
            foreach ([self::OWN, self::FORKED, self::KEY] as $planted) {
                self::assertSame(0, (int) DB::scalar("SELECT count(*) FROM \"{$table->name}\" t WHERE t::text LIKE ?", ["%{$planted}%"]), "{$table->name} holds {$planted}");
            }
        }
    }

    #[Test]
    public function planted_values_are_on_no_page_and_in_no_table(): void
    {
        $log = storage_path('logs/laravel.log');
        file_put_contents($log, '', FILE_APPEND);
        $from = (int) filesize($log);
        $feed = $this->carry($this->planted());
        self::assertSame('on time', $feed->state(), (string) $feed->trouble?->message);
        self::assertGreaterThanOrEqual(1, SetAside::waiting()->where('feed_id', $feed->id)->count());
        $this->actingAs($this->her());
        $this->post('/feeds/loads/rehearse', ['typed' => json_encode(['id' => 1, 'grower' => self::OWN, 'code' => self::KEY])])->assertOk();
        $this->assertKeptNowhere();
        foreach ([null, $this->person('viewer', 'viewer')] as $person) {
            $person === null ? auth()->forgetGuards() : $this->actingAs($person);
            foreach ($this->pages($feed) as $path => $said) {
                $this->assertNowhere($said, ($person->name ?? 'anonymous').' at '.$path);
            }
        }
        $this->actingAs($this->her());
        foreach ($this->pages($feed) as $path => $said) {
            // Only the sheet, one row looked up by its key, and what is sampled for a new feed show an engineer what the source says.
            str_contains($path, '/columns') || str_starts_with($path, '/landed/loads?key') || str_contains($path, '/feeds/new') || $this->assertNowhere($said, "engineer at {$path}");
        }
        foreach (['feeds', 'runs', 'decisions', 'feed:rehearse', 'set-aside'] as $command) {
            if (array_key_exists($command, Artisan::all())) {
                Artisan::call($command, ['--json' => true] + (in_array($command, ['feed:rehearse', 'set-aside'], true) ? ['name' => 'loads'] : []));
                $this->assertNowhere(Artisan::output(), $command);
            }
        }
        $this->assertKeptNowhere();
        $this->assertNowhere((string) file_get_contents($log, offset: $from), 'the log');
        foreach (['copy.loads', 'copy.noted', 'lighterman.receipt', 'lighterman.position'] as $table) {
            foreach ([self::OWN, self::KEY] as $planted) {
                self::assertSame('0', $this->house->value("SELECT count(*) FROM {$table} t WHERE t::text LIKE '%{$planted}%'"), $table);
            }
        }
        self::assertSame('0', $this->house->value("SELECT count(*) FROM copy.noted t WHERE t::text LIKE '%".self::FORKED."%'"));
    }

    #[Test]
    public function a_mask_that_comes_later_takes_what_was_kept_in_clear_out_of_our_tables(): void
    {
        $this->gate->run("ALTER TABLE loads ADD grower text, ADD weight text; UPDATE loads SET grower = '".self::OWN."', weight = id::text; UPDATE loads SET weight = 'sour' WHERE id = 3; UPDATE loads SET grower = 'Z: \"".self::OWN."\"', weight = 'sour' WHERE id = 4");
        $feed = $this->carry($this->feed(['treatment' => Treatment::fromArray(['failing' => 'set_aside', 'columns' => [['from' => 'weight', 'steps' => [['convert' => 'int32']]]],
            'checks' => [['check' => 'pattern', 'columns' => ['grower'], 'pattern' => '^Q', 'else' => 'set_aside']], 'watch' => [['name' => 'all', 'expression' => 'true']]])]));
        self::assertSame(500, SetAside::where('feed_id', $feed->id)->count());
        $columns = ['columns' => [['from' => 'grower', 'steps' => [['mask' => 'null']]], ['from' => 'weight', 'steps' => [['convert' => 'int32']]]]];
        DraftBook::save($feed, DraftBook::definition($feed, Treatment::fromArray($columns + $feed->definition->body['treatment'])), app(Systems::class));
        $this->assertKeptNowhere();
        $record = SetAside::where('feed_id', $feed->id)->orderBy('id')->firstOrFail();
        self::assertSame(['id', 'kg', 'updated_at', 'grower', 'weight'], array_keys($record->record), 'the columns stay in their order');
        self::assertSame(self::OWN, $record->whole()['grower'], 'it is not lost');
    }

    #[Test]
    public function a_mask_saved_while_a_load_runs_holds_from_the_next_batch_and_what_landed_is_landed_again(): void
    {
        $this->gate->run("ALTER TABLE loads ADD grower text; INSERT INTO loads SELECT g, 1, now() - interval '1 hour', repeat('".self::OWN." ', 20) FROM generate_series(1000, 60000) g");
        $feed = $this->feed();
        $masked = false;
        $leases = new Leases('test');
        $runner = new FeedRunner(app(Systems::class), $leases, function () use ($feed, &$masked): bool {
            if (! $masked && (int) $feed->refresh()->sequence > 0) {
                $masked = true;
                $this->actingAs($this->her());
                $this->post('/feeds/loads/columns/act', ['act' => 'mask:null', 'lines' => [3]])->assertSessionHasNoErrors();
                $this->post('/feeds/loads/checks', ['act' => 'outcome', 'failing' => 'set_aside'])->assertSessionHasNoErrors();
                $this->post('/feeds/loads/columns/act', ['act' => 'save'])->assertSessionHasNoErrors()->assertSessionHas('done', static fn (string $said): bool => str_contains($said, 'The first load has landed rows in which grower stands in clear; it begins again'));
                $this->before = (int) $this->house->value("SELECT count(*) FROM copy.loads WHERE grower LIKE '%Quill%'");
            }

            return false;
        });
        $runner->run($leases->feed($feed->id) ?? self::fail('no lease'));
        self::assertTrue($masked);
        self::assertSame($this->before, (int) $this->house->value("SELECT count(*) FROM copy.loads WHERE grower LIKE '%Quill%'"), 'nothing more landed in clear');
        self::assertGreaterThan(0, $this->before);
        for ($runs = 0; $runs < 6 && $feed->refresh()->state() !== 'on time'; $runs++) {
            (new Worker(app(Systems::class), 'test'))->once($feed->id);
        }
        self::assertSame([$this->gate->value('SELECT count(*) FROM loads'), '0'], [$this->house->value('SELECT count(*) FROM copy.loads'), $this->house->value('SELECT count(*) FROM copy.loads WHERE grower IS NOT NULL')]);
        self::assertSame('on time', $feed->refresh()->state());
    }

    private int $before = 0;

    #[Test]
    public function what_is_computed_from_hidden_values_is_named_when_it_is_saved(): void
    {
        $this->gate->run('ALTER TABLE loads ADD grower text');
        $this->feed();
        $this->actingAs($this->her());
        $this->post('/feeds/loads/columns/act', ['act' => 'mask:null', 'lines' => [3]]);
        $this->post('/feeds/loads/columns/act', ['act' => 'derive', 'name' => 'shout', 'expression' => "upper(as_read('grower'))"])->assertSessionHasNoErrors();
        $this->post('/feeds/loads/checks', ['act' => 'outcome', 'failing' => 'set_aside']);
        $this->get('/feeds/loads/columns')->assertSee('lands in clear, computed from what a mask hides');
        $this->post('/feeds/loads/columns/act', ['act' => 'save'])->assertSessionHas('done', static fn (string $said): bool => str_contains($said, 'shout lands in clear, though computed from what a mask hides'));
    }

    #[Test]
    public function what_two_people_do_to_one_sheet_is_done_to_what_each_of_them_saw(): void
    {
        $this->gate->run('ALTER TABLE loads ADD phone text, ADD bank text');
        $feed = $this->feed();
        $seen = function () use ($feed): string {
            preg_match('/name="seen" value="([0-9a-f]+)"/', (string) $this->get("/feeds/{$feed->name}/columns")->assertOk()->getContent(), $m);

            return $m[1] ?? self::fail('no form says what was seen');
        };
        $this->actingAs($this->her());
        $hers = $seen();
        // Another moves a line meanwhile.
        $this->flushSession();
        $this->actingAs($this->person('other', 'engineer'));
        $his = $seen();
        $this->post('/feeds/loads/columns/act', ['act' => 'down', 'line' => 3, 'seen' => $his])->assertSessionHasNoErrors();
        $this->post('/feeds/loads/columns/act', ['act' => 'mask:null', 'lines' => [0], 'seen' => $his])->assertSessionHasNoErrors();
        $this->flushSession();
        $this->actingAs($this->her());
        $before = DraftBook::treatment($feed->refresh())->toArray();
        foreach ([['columns/act', ['act' => 'mask:null', 'lines' => [3]]], ['columns/line', ['line' => 3, 'as' => 'telephone']], ['columns/act', ['act' => 'save']], ['columns/act', ['act' => 'discard']], ['checks', ['act' => 'outcome', 'failing' => 'drop']], ['forks', ['act' => 'otherwise', 'otherwise' => 'land']]] as [$path, $act]) {
            $this->post("/feeds/loads/{$path}", $act + ['seen' => $hers])->assertSessionHasErrors();
            self::assertStringContainsString('other has changed it meanwhile', (string) session('errors')->first());
            self::assertStringContainsString('id: as it was read → mask', str_replace('id: as it was read → null', 'id: as it was read → mask', (string) session('errors')->first()));
            self::assertSame($before, DraftBook::treatment($feed->refresh())->toArray());
        }
        $this->post('/feeds/loads/columns/act', ['act' => 'mask:null', 'lines' => [3], 'seen' => $seen()])->assertSessionHasNoErrors();
        self::assertTrue(DraftBook::treatment($feed->refresh())->hides('bank'));
    }
}
