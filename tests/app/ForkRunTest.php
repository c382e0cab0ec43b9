<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\AsideDesk;
use App\Feeds\DraftBook;
use App\Feeds\FeedBook;
use App\Models\Feed;
use App\Models\Run;
use App\Models\SetAside;
use App\Runtime\Common\Systems;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Trouble\InvalidDefinition;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;
use Random\Engine\Mt19937;
use Random\Randomizer;

final class ForkRunTest extends LogRunnerCase
{
    /** Loads under 100 kg, with their key renamed and a column made; heavy ones from 400 kg as they are. */
    private const FORKS = [
        ['name' => 'light', 'when' => 'kg < 100', 'landed' => 'copy.light', 'columns' => [['from' => 'id', 'as' => 'light_id'], ['as' => 'half', 'steps' => [['derive' => 'kg / 2', 'type' => 'decimal(10,1)']]]]],
        ['name' => 'heavy', 'when' => 'kg >= 400', 'landed' => 'copy.heavy'],
    ];

    /** @param  array<string, mixed>  $treatment */
    private static function forked(array $treatment = []): Treatment
    {
        return Treatment::fromArray($treatment + ['forks' => self::FORKS, 'otherwise' => 'land', 'failing' => 'set_aside']);
    }

    private function assertParted(bool $rest = true): void
    {
        $parts = ['SELECT id AS light_id, kg, round(kg / 2.0, 1) AS half FROM loads WHERE kg < 100' => 'SELECT light_id, kg, half FROM copy.light', 'SELECT id, kg FROM loads WHERE kg >= 400' => 'SELECT id, kg FROM copy.heavy'];
        foreach ($parts + ($rest ? ['SELECT id, kg FROM loads WHERE kg BETWEEN 100 AND 399' => 'SELECT id, kg FROM copy.loads'] : []) as $here => $there) {
            self::assertSame($this->gate->rows("{$here} ORDER BY 1"), $this->house->rows("{$there} ORDER BY 1"), $there);
        }
    }

    private function touch(string $change): void
    {
        $this->gate->run("{$change}; UPDATE loads SET updated_at = clock_timestamp() WHERE true");
        usleep(600_000);
    }

    private function lastRun(Feed $feed): Run
    {
        return Run::findOrFail($feed->refresh()->last_run_id);
    }

    #[Test]
    public function rows_land_where_their_fork_says_and_a_row_that_takes_another_leaves_the_one_it_was_in(): void
    {
        $feed = $this->carry($this->feed(['treatment' => self::forked()]));
        $this->assertParted();
        self::assertSame([500, 500, 0], [$this->lastRun($feed)->read, $this->lastRun($feed)->inserted, $this->lastRun($feed)->deleted]);
        $this->touch('UPDATE loads SET kg = 500 WHERE id <= 10; UPDATE loads SET kg = 200 WHERE id BETWEEN 11 AND 15; UPDATE loads SET kg = 1 WHERE id BETWEEN 300 AND 302');
        $feed = $this->carry($feed);
        $this->assertParted();
        self::assertSame([18, true], [$this->lastRun($feed)->deleted, $this->lastRun($feed)->addsUp()]);
        $this->touch('UPDATE loads SET kg = kg WHERE id = 1');
        self::assertSame([500, 0], [$this->lastRun($this->carry($feed))->updated, $this->lastRun($feed)->deleted]);
    }

    #[Test]
    public function what_takes_no_fork_and_is_dropped_goes_from_where_it_was_and_has_no_table(): void
    {
        $feed = $this->carry($this->feed(['treatment' => self::forked(['otherwise' => 'drop'])]));
        $this->assertParted(rest: false);
        self::assertNull($this->house->value("SELECT to_regclass('copy.loads')"));
        self::assertSame([500, 200, 300], [$this->lastRun($feed)->read, $this->lastRun($feed)->inserted, $this->lastRun($feed)->dropped]);
        $this->touch('UPDATE loads SET kg = 300 WHERE id <= 5');
        $this->carry($feed);
        $this->assertParted(rest: false);
        app(Systems::class)->target($this->target)->discard($feed->uid);
        self::assertSame('0', $this->house->value("SELECT count(*) FROM pg_class WHERE relnamespace = 'copy'::regnamespace AND relkind = 'r'"));
    }

    #[Test]
    public function what_takes_no_fork_and_is_set_aside_is_sent_again_into_the_fork_it_then_takes(): void
    {
        $feed = $this->carry($this->feed(['treatment' => self::forked(['otherwise' => 'set_aside'])]));
        self::assertSame(['no_fork' => 300], SetAside::waiting()->pluck('reason')->countBy()->all());
        $one = SetAside::with('feed')->where('key', 'id = 250')->sole();
        AsideDesk::edit($one, ['kg' => '50']);
        AsideDesk::send($feed->load('route'), SetAside::where('key', 'id = 250'));
        $feed = $this->carry($feed);
        self::assertSame('25.0', $this->house->value('SELECT half FROM copy.light WHERE light_id = 250'));
        self::assertSame([1, true], [$this->lastRun($feed)->inserted, $this->lastRun($feed)->addsUp()]);
    }

    #[Test]
    public function a_reload_swaps_every_table_and_a_fork_that_fails_sets_aside_what_was_read(): void
    {
        $forks = [['columns' => [['from' => 'kg', 'as' => 'kg', 'steps' => [['derive' => '100 / (value - 7)']]]]] + self::FORKS[0], self::FORKS[1]];
        $feed = $this->carry($this->feed(['capture' => Capture::Reload, 'watermark' => null, 'landing' => Landing::Replace, 'treatment' => self::forked(['forks' => $forks])]));
        self::assertSame([98, 101, 300], array_map(fn (string $t): int => (int) $this->house->value("SELECT count(*) FROM copy.{$t}"), ['light', 'heavy', 'loads']));
        $aside = SetAside::waiting()->sole();
        self::assertSame(['division_by_zero', ['7', '7']], [$aside->reason, [$aside->record['id'], $aside->record['kg']]]);
        $this->gate->run('UPDATE loads SET kg = 400 WHERE id < 50');
        $feed = $this->carry($feed);
        self::assertSame([50, 150, 300], array_map(fn (string $t): int => (int) $this->house->value("SELECT count(*) FROM copy.{$t}"), ['light', 'heavy', 'loads']));
        self::assertTrue($this->lastRun($feed)->addsUp());
    }

    #[Test]
    public function forks_are_added_and_taken_away_with_a_version_and_loading_again_parts_what_was_there(): void
    {
        $feed = $this->carry($this->feed());
        DraftBook::save($feed, DraftBook::definition($feed, self::forked()), app(Systems::class));
        $this->touch('UPDATE loads SET kg = kg');
        $this->carry($feed->refresh()->load('definition', 'route'));
        $this->assertParted();
        self::assertSame([2, 'copy.loads'], [$feed->definition->version, (string) $feed->definition->parsed()->destination->table]);
        DraftBook::goBack($feed, $feed->definitions()->where('version', 1)->sole(), app(Systems::class));
        $this->touch('UPDATE loads SET kg = kg');
        $this->carry($feed->refresh()->load('definition', 'route'));
        self::assertSame('500', $this->house->value('SELECT count(*) FROM copy.loads'));
    }

    /** @param  array<string, mixed>  $more */
    #[Test]
    #[DataProvider('captures')]
    public function changes_land_where_their_rows_belong_however_they_follow_each_other(Capture $capture, array $more): void
    {
        $seed = random_int(1, PHP_INT_MAX);
        $random = new Randomizer(new Mt19937($seed));
        $feed = $this->logFeed('loads', ['capture' => $capture, 'treatment' => self::forked(['otherwise' => $more['otherwise'] ?? 'land'])]);
        $this->drain();
        $this->assertParted($more === []);
        for ($round = 0; $round < 3; $round++) {
            for ($n = 0; $n < 60; $n++) {
                $id = $random->getInt(1, 520);
                $kg = $random->getInt(0, 600);
                $this->gate->run(match ($random->getInt(0, 5)) {
                    0 => "DELETE FROM loads WHERE id = {$id}",
                    1 => "INSERT INTO loads (id, kg) VALUES ({$id}, {$kg}) ON CONFLICT DO NOTHING",
                    2 => "UPDATE loads SET id = id + 10000 WHERE id = {$id} AND NOT EXISTS (SELECT 1 FROM loads l WHERE l.id = {$id} + 10000)",
                    3 => "UPDATE loads SET id = id - 10000, kg = {$kg} WHERE id = {$id} + 10000 AND NOT EXISTS (SELECT 1 FROM loads l WHERE l.id = {$id})",
                    default => "UPDATE loads SET kg = {$kg} WHERE id = {$id}",
                });
            }
            $this->drain();
            $this->assertParted($more === []);
        }
        $this->assertRunsAddUp($feed);
        self::assertSame($more === [] ? 0 : 1, min(1, (int) $feed->runs()->sum('dropped')), "seed {$seed}");
    }

    /** @return iterable<string, array{Capture, array<string, mixed>}> */
    public static function captures(): iterable
    {
        yield 'by log' => [Capture::Log, []];
        yield 'by log, the rest dropped' => [Capture::Log, ['otherwise' => 'drop']];
        yield 'by trigger' => [Capture::Trigger, []];
    }

    #[Test]
    public function loading_again_parts_what_other_conditions_had_parted_and_sweeps_every_table(): void
    {
        $feed = $this->logFeed('loads', ['treatment' => self::forked()]);
        $this->drain();
        $this->house->run('INSERT INTO copy.heavy (id, kg, updated_at) VALUES (7777, 1, now()); DELETE FROM copy.light WHERE light_id = 5');
        FeedBook::change($feed, FeedDefinition::fromArray(['treatment' => ['forks' => [['when' => 'kg < 50'] + self::FORKS[0], self::FORKS[1]], 'otherwise' => 'land', 'failing' => 'set_aside']] + $feed->definition->body));
        FeedBook::reload($feed->refresh()->load('definition', 'route'), Slice::whole());
        $this->drain();
        self::assertSame([['49', '101', '350']], [array_map(fn (string $t): string => (string) $this->house->value("SELECT count(*) FROM copy.{$t}"), ['light', 'heavy', 'loads'])]);
        $this->assertRunsAddUp($feed);
    }

    #[Test]
    public function a_journal_has_each_change_where_it_belongs_and_a_delete_everywhere(): void
    {
        $feed = $this->logFeed('loads', ['landing' => Landing::Append, 'treatment' => self::forked()]);
        $this->drain();
        $this->gate->run('UPDATE loads SET kg = 450 WHERE id = 7; DELETE FROM loads WHERE id = 8');
        $this->drain();
        self::assertSame(['load', 'delete'], array_column($this->house->rows('SELECT change_kind FROM copy.light WHERE light_id IN (7, 8) AND half IS DISTINCT FROM 3.5 ORDER BY source_position'), 'change_kind'));
        self::assertSame([['7', '450', 'update'], ['8', null, 'delete']], array_map(array_values(...), $this->house->rows('SELECT id, kg, change_kind FROM copy.heavy WHERE id IN (7, 8) ORDER BY source_position')));
        $this->assertRunsAddUp($feed);
    }

    #[Test]
    public function what_a_fork_masks_is_in_clear_in_no_page_message_or_record_set_aside(): void
    {
        $marker = 'Zebedee-Quill-0918';
        $this->gate->run("ALTER TABLE loads ADD grower text; UPDATE loads SET grower = '{$marker}' WHERE id IN (7, 8, 300); UPDATE loads SET grower = 'x' WHERE grower IS NULL");
        $fork = ['columns' => [['from' => 'grower', 'steps' => [['mask' => 'keep_shape']]], ['as' => 'share', 'steps' => [['derive' => '1 / (kg - 7)']]]]] + self::FORKS[0];
        $feed = $this->carry($this->feed(['treatment' => self::forked(['forks' => [$fork], 'otherwise' => 'set_aside', 'checks' => [['check' => 'pattern', 'columns' => ['grower'], 'pattern' => '^(x|Z)', 'else' => 'set_aside'], ['check' => 'expression', 'expression' => 'id != 8 or length(grower) < 3', 'else' => 'set_aside']]])]));
        self::assertSame(['division_by_zero', 'check_expression', 'no_fork'], SetAside::whereIn('key', ['id = 7', 'id = 8', 'id = 300'])->orderByRaw("key = 'id = 300', key")->pluck('reason')->all());
        $viewer = $this->person('viewer', 'viewer');
        $pages = '';
        foreach (['/feeds/loads/columns?sample=first&row=7', '/feeds/loads/columns?sample=first&fork=light&row=5', '/feeds/loads/set-aside', '/landed/loads?key[id]=8', '/feeds/loads/forks'] as $path) {
            $pages .= $this->actingAs($viewer)->get($path)->assertOk()->getContent();
        }
        $pages .= $this->actingAs($this->engineer())->get('/feeds/loads/rehearse?sample=first&at=7')->assertOk()->getContent();
        $pages .= json_encode(SetAside::all()->toArray()).SetAside::all()->map(static fn (SetAside $r): string => $r->message.json_encode([$r->record, $r->at_step]))->implode('');
        self::assertStringNotContainsString($marker, $pages);
        self::assertSame('0', $this->house->value("SELECT count(*) FROM copy.light t WHERE t::text LIKE '%Quill%'"));
        self::assertSame($marker, SetAside::where('key', 'id = 7')->sole()->whole()['grower']);
        self::assertSame('on time', $feed->state());
    }

    #[Test]
    public function a_fork_may_not_land_where_another_feed_does(): void
    {
        $feed = $this->feed(['treatment' => self::forked()]);
        foreach ([['landed' => new TableName('copy', 'heavy')], ['landed' => new TableName('copy', 'elsewhere'), 'treatment' => self::forked(['forks' => [self::FORKS[1]]])]] as $more) {
            try {
                $this->feed(['name' => 'another', ...$more]);
                self::fail('It was taken.');
            } catch (InvalidDefinition $e) {
                self::assertStringContainsString('the feed "loads" lands in copy.heavy of house already', $e->getMessage());
            }
        }
        $other = $this->feed(['name' => 'other', 'landed' => new TableName('copy', 'other')])->load('route', 'definition');
        $this->expectExceptionMessage('lands in copy.heavy of house already');
        DraftBook::save($other, DraftBook::definition($other, self::forked(['forks' => [self::FORKS[1]]])), app(Systems::class));
        self::assertNotNull($feed);
    }

    #[Test]
    public function forks_are_set_up_on_their_page_and_a_new_name_alters_every_table(): void
    {
        $feed = $this->carry($this->feed());
        $this->actingAs($this->engineer());
        $this->post('/feeds/loads/forks', ['act' => 'keep', 'when' => 'kg < 100', 'landed' => 'copy.light'])->assertRedirect('/feeds/loads/forks');
        $this->post('/feeds/loads/forks', ['act' => 'keep', 'when' => 'kg >= 400', 'landed' => 'copy.heavy', 'name' => 'a heavy one'])->assertSessionHasNoErrors();
        $this->post('/feeds/loads/forks', ['act' => 'keep', 'when' => 'kg >= 400', 'landed' => 'copy.heavy', 'name' => 'twice']);
        self::assertSame('Two forks land in copy.heavy.', session('errors')->first());
        $this->post('/feeds/loads/forks', ['act' => 'up', 'was' => 'a heavy one']);
        $this->post('/feeds/loads/forks', ['act' => 'remove', 'was' => 'gone'])->assertSessionHasErrors();
        $this->get('/feeds/loads/columns?fork=gone')->assertRedirect('/feeds/loads/forks');
        $page = (string) $this->get('/feeds/loads/forks')->assertOk()->getContent();
        self::assertMatchesRegularExpression('/a heavy one.*101 of 500|a heavy one.*50 of 50/s', $page);
        self::assertStringContainsString('what becomes of the rest is not stated', $page);
        $this->post('/feeds/loads/forks', ['act' => 'otherwise', 'otherwise' => 'land']);
        $this->post('/feeds/loads/checks', ['act' => 'outcome', 'failing' => 'set_aside']);
        $this->post('/feeds/loads/columns/line', ['fork' => 'light', 'line' => 1, 'as' => 'kilos'])->assertSessionHasNoErrors();
        $this->post('/feeds/loads/columns/act', ['fork' => 'light', 'act' => 'derive', 'name' => 'half', 'expression' => 'kg / 2'])->assertRedirect('/feeds/loads/columns?fork=light&line=3');
        $this->post('/feeds/loads/columns/act', ['act' => 'save'])->assertSessionHas('done', static fn (string $said): bool => str_contains($said, 'stay in the tables they are in'));
        $this->touch('UPDATE loads SET kg = kg');
        $feed = $this->carry($feed->refresh()->load('definition', 'route'));
        self::assertSame(['99', '101', '300'], array_map(fn (string $t): string => (string) $this->house->value("SELECT count(*) FROM copy.{$t}"), ['light', 'heavy', 'loads']));
        $landed = (string) $this->get('/landed/loads?count=1&key[id]=7')->assertOk()->getContent();
        self::assertMatchesRegularExpression('/500<\/b> landed \(300 in copy.loads, 101 in copy.heavy, 99 in copy.light\).*kilos/s', $landed);

        $this->post('/feeds/loads/columns/line', ['line' => 0, 'as' => 'load_id']);
        $statements = DraftBook::preparation($feed, DraftBook::definition($feed, DraftBook::treatment($feed)), app(Systems::class))->statements;
        self::assertSame(['ALTER TABLE "copy"."loads" RENAME COLUMN "id" TO "load_id";', 'ALTER TABLE "copy"."heavy" RENAME COLUMN "id" TO "load_id";', 'ALTER TABLE "copy"."light" RENAME COLUMN "id" TO "load_id";'], $statements);
    }

    #[Test]
    public function a_row_that_moves_takes_values_along_that_the_change_does_not_say_or_waits(): void
    {
        $this->gate->run("ALTER TABLE loads ADD note text; ALTER TABLE loads ALTER note SET STORAGE EXTERNAL; UPDATE loads SET note = repeat('long ', 4000) WHERE id = 5");
        $feed = $this->logFeed('loads', ['treatment' => self::forked()]);
        $this->drain();
        $this->gate->run('UPDATE loads SET kg = 450 WHERE id = 5');
        $this->drain();
        self::assertSame([['not_sent', 'id = 5']], SetAside::waiting()->get()->map(static fn (SetAside $r): array => [$r->reason, $r->key])->all());
        $this->gate->run('ALTER TABLE loads REPLICA IDENTITY FULL; UPDATE loads SET kg = 460 WHERE id = 5');
        $this->drain();
        self::assertSame(['460', '20000'], array_values($this->house->row('SELECT kg, length(note) FROM copy.heavy WHERE id = 5') ?? []));
        self::assertSame([0, '0'], [SetAside::waiting()->count(), $this->house->value('SELECT count(*) FROM copy.light WHERE light_id = 5')]);
        $this->assertRunsAddUp($feed);
    }
}
