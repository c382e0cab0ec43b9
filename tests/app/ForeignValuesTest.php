<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\AsideDesk;
use App\Feeds\FeedBook;
use App\Feeds\SystemBook;
use App\Models\Feed;
use App\Models\SetAside;
use App\Runtime\Common\Systems;
use Illuminate\Support\Facades\Artisan;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Stamps;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Tests\Definition\Definitions;
use PDO;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;

/** Values that other databases hold and a warehouse in PostgreSQL cannot, or spells otherwise. */
final class ForeignValuesTest extends LogRunnerCase
{
    private PDO $cellar;

    private string $path;

    protected function setUp(): void
    {
        parent::setUp();
        $this->path = sys_get_temp_dir().'/cellar-'.bin2hex(random_bytes(4)).'.db';
        $this->cellar = new PDO("sqlite:{$this->path}");
        $this->source = SystemBook::add('cellar', ['path' => $this->path], '', 'sqlite');
    }

    protected function tearDown(): void
    {
        parent::tearDown();
        array_map(unlink(...), glob("{$this->path}*") ?: []);
    }

    /** @param  array<string, mixed>  $more */
    private function casks(Capture $capture, array $more = []): Feed
    {
        $table = new TableName('main', 'casks');
        $definition = Definitions::of(...['name' => 'casks', 'source' => $table, 'shape' => app(Systems::class)->source($this->source)->shape($table), 'capture' => $capture, 'key' => ['code'], 'landing' => Landing::Upsert, 'landed' => new TableName('copy', 'casks'), ...$more]);

        return FeedBook::create($this->source, $this->target, [$definition])[0];
    }

    #[Test]
    #[TestWith([Capture::Reload, true])]
    #[TestWith([Capture::Reload, false])]
    #[TestWith([Capture::Trigger, true])]
    public function a_zero_byte_sets_its_record_aside_and_loses_no_other(Capture $capture, bool $stamps): void
    {
        $this->cellar->exec("CREATE TABLE casks (code text PRIMARY KEY NOT NULL, note text); WITH RECURSIVE n(i) AS (SELECT 1 UNION ALL SELECT i + 1 FROM n WHERE i < 3000) INSERT INTO casks SELECT printf('k%06d', i) || CASE i WHEN 1500 THEN char(0) || 'x' ELSE '' END, CASE i WHEN 700 THEN 'a' || char(0) || 'b' ELSE 'n' END FROM n");
        $feed = $this->casks($capture, $stamps ? [] : ['stamps' => new Stamps(null, null)]);
        $capture === Capture::Trigger ? $this->drain() : $this->carry($feed);
        self::assertSame('2998', $this->house->value('SELECT count(*) FROM copy.casks'));
        self::assertSame('0', $this->house->value("SELECT count(*) FROM copy.casks WHERE length(code) <> 7 OR note <> 'n'"), 'no two rows are glued together');
        self::assertSame([3000, 2998, 2], [(int) $feed->receipts()->sum('read'), (int) $feed->receipts()->sum('inserted'), (int) $feed->receipts()->sum('set_aside')]);
        $records = SetAside::orderBy('id')->get();
        self::assertSame(['zero_byte', 'zero_byte'], $records->pluck('reason')->all());
        self::assertStringContainsString('holds a zero byte', $records[0]->message);
        $this->actingAs($this->engineer())->get('/feeds/casks/set-aside')->assertOk()->assertSee('holds a zero byte');
        if ($capture === Capture::Trigger) {
            $this->cellar->exec("UPDATE casks SET note = 'mended' WHERE note <> 'n'; UPDATE casks SET note = 'y' || char(0) WHERE code = 'k000003'");
            $this->drain();
            self::assertSame('mended', $this->house->value("SELECT note FROM copy.casks WHERE code = 'k000700'"));
            self::assertSame('n', $this->house->value("SELECT note FROM copy.casks WHERE code = 'k000003'"), 'the row stays as it was until its record is mended');
        }
    }

    #[Test]
    #[TestWith([Capture::Reload])]
    #[TestWith([Capture::Trigger])]
    public function values_that_cannot_be_written_set_their_records_aside_alone(Capture $capture): void
    {
        config(['lighterman.value_bytes' => 1 << 20]);
        $this->cellar->exec("CREATE TABLE casks (code text PRIMARY KEY NOT NULL, racked_on date, note text); INSERT INTO casks VALUES ('a', '2024-02-29', 'fine'), ('b', '0000-00-00', 'x'), ('c', '2024-00-10', 'x'), ('d', NULL, printf('%.*c', 1048577, 'y')), ('e', NULL, printf('%.*c', 1048576, 'z'))");
        $feed = $this->casks($capture);
        Artisan::call('feed:rehearse', ['name' => $feed->name, '--json' => true, '--rows' => 50]);
        $told = array_column(json_decode(Artisan::output(), true), 'outcome');
        self::assertEquals(['lands' => 2, 'set aside' => 3], array_count_values($told), 'a rehearsal foretells it');
        $carry = fn () => $capture === Capture::Trigger ? $this->drain() : $this->carry($feed);
        $carry();
        self::assertSame([['a', '4'], ['e', '1048576']], array_map(array_values(...), $this->house->rows('SELECT code, length(note) FROM copy.casks ORDER BY code')));
        self::assertSame(['no_date', 'no_date', 'too_long'], SetAside::orderBy('id')->pluck('reason')->sort()->values()->all());
        $long = SetAside::where('reason', 'too_long')->sole();
        self::assertSame('… too long to be kept here', $long->whole()['note']);
        $this->actingAs($this->engineer())->get("/feeds/{$feed->name}/rehearse?aside={$long->id}")->assertOk()->assertSee('is longer than the 1 MB that a value may have');
        AsideDesk::send($feed->refresh()->load('route'), SetAside::whereKey($long->id));
        $carry();
        self::assertSame(['too_long', '2'], [$long->refresh()->reason, $this->house->value('SELECT count(*) FROM copy.casks')], 'the mark is never sent in its place');
        config(['lighterman.value_bytes' => 2 << 20]);
        FeedBook::reload($feed, Slice::keys([['d']]));
        $carry();
        $carry();
        self::assertSame('1048577', $this->house->value("SELECT length(note) FROM copy.casks WHERE code = 'd'"), 'with the limit raised the row is loaded by its key');
    }

    #[Test]
    public function sqlite_nulls_and_decimals_land_as_they_are(): void
    {
        $this->cellar->exec('CREATE TABLE casks (code text PRIMARY KEY NOT NULL, label blob, price decimal(10,2), level double)');
        $this->cellar->exec("INSERT INTO casks VALUES ('a', NULL, 1.10, 0.1), ('b', x'', 0.07, 1e300), ('c', x'00ff', 12, 0.1234567890123456789)");
        $this->carry($this->casks(Capture::Reload, ['landing' => Landing::Replace]));
        self::assertSame([['a', null, '1.1', '0.1'], ['b', '\x', '0.07', '1e+300'], ['c', '\x00ff', '12', '0.12345678901234568']], array_map(array_values(...), $this->house->rows('SELECT code, label, price, level FROM copy.casks ORDER BY code')));
    }

    #[Test]
    #[TestWith([Capture::Reload])]
    #[TestWith([Capture::Trigger])]
    public function a_trigger_at_the_target_that_keeps_rows_out_is_found_out(Capture $capture): void
    {
        $this->cellar->exec("CREATE TABLE casks (code text PRIMARY KEY NOT NULL, note text); INSERT INTO casks VALUES ('a', 'x'), ('b', 'y')");
        $feed = $this->casks($capture, ['landing' => Landing::Append]);
        $carry = fn () => $capture === Capture::Trigger ? $this->drain() : $this->carry($feed);
        $carry();
        $this->house->run("CREATE FUNCTION nothing() RETURNS trigger LANGUAGE plpgsql AS 'BEGIN RETURN CASE WHEN NEW.code = ''a'' THEN NULL ELSE NEW END; END'; CREATE TRIGGER keeps_out BEFORE INSERT ON copy.casks FOR EACH ROW EXECUTE FUNCTION nothing()");
        $this->cellar->exec("UPDATE casks SET note = 'z'");
        $carry();
        self::assertSame('rows_kept_out', $feed->refresh()->trouble?->reason?->value);
        self::assertSame('2', $this->house->value('SELECT count(*) FROM copy.casks'), 'nothing is half done');
    }

    #[Test]
    public function a_table_that_is_dropped_in_another_database_is_the_trouble_of_its_own_feed(): void
    {
        $this->cellar->exec("CREATE TABLE casks (code text PRIMARY KEY NOT NULL, note text); INSERT INTO casks VALUES ('a', 'x'); CREATE TABLE vats (code text PRIMARY KEY NOT NULL, note text); INSERT INTO vats VALUES ('v', 'x')");
        $casks = $this->casks(Capture::Trigger);
        $vats = $this->logFeed('vats', ['source' => new TableName('main', 'vats'), 'shape' => app(Systems::class)->source($this->source)->shape(new TableName('main', 'vats')), 'capture' => Capture::Trigger, 'key' => ['code']]);
        $this->drain();
        $this->cellar->exec("DROP TABLE vats; UPDATE casks SET note = 'y'");
        $this->drain();
        self::assertSame(['failed', 'on time', 'y'], [$vats->refresh()->standing, Feed::with('route.logs')->findOrFail($casks->id)->state(), $this->house->value('SELECT note FROM copy.casks')]);
        $this->cellar->exec("CREATE TABLE vats (code text PRIMARY KEY NOT NULL, note text); INSERT INTO vats VALUES ('w', 'new')");
        FeedBook::resume([$vats]);
        $this->drain();
        $this->drain();
        self::assertSame([['w', 'new']], array_map(array_values(...), $this->house->rows('SELECT code, note FROM copy.vats')));
    }
}
