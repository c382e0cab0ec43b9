<?php

declare(strict_types=1);

namespace Tests\App;

use App\Feeds\DefinitionFile;
use App\Models\Feed;
use Illuminate\Support\Facades\Artisan;
use Lighterman\Core\Trouble\InvalidDefinition;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;

final class DefinitionFileTest extends AppCase
{
    /** @return iterable<string, array{string, string, string}> */
    public static function wrong(): iterable
    {
        $feeds = "feeds:\n  - table: public.loads\n";
        yield 'an unknown key at the top' => ["source: gate\ntarget: house\nsauce: x\n{$feeds}", 'the file', 'unknown key "sauce"'];
        yield 'an unknown key of a feed' => ["source: gate\ntarget: house\n{$feeds}    wartermark: updated_at\n", 'feeds.0', 'unknown key "wartermark"'];
        yield 'a missing key' => ["source: gate\n{$feeds}", 'the file', '"target" is missing'];
        yield 'a landing that does not exist' => ["source: gate\ntarget: house\n{$feeds}    landing: overwrite\n", 'feeds.0.landing', 'none of those allowed'];
        yield 'no YAML' => ["source: [gate\ntarget", 'line', 'not YAML'];
        yield 'no JSON' => ['{"source": "gate",}', 'the file', 'not JSON'];
        yield 'nothing' => ['', 'the file', 'missing'];
    }

    #[Test]
    #[DataProvider('wrong')]
    public function a_file_that_does_not_fit_is_refused_at_its_place(string $text, string $place, string $said): void
    {
        try {
            DefinitionFile::parse($text);
            self::fail('It was accepted.');
        } catch (InvalidDefinition $e) {
            self::assertStringStartsWith($place, $e->place);
            self::assertStringContainsString($said, $e->getMessage());
            self::assertNotSame('', $e->remedy()->said);
        }
    }

    private function load(string $text, array $options = []): int
    {
        $path = tempnam(sys_get_temp_dir(), 'route');
        file_put_contents($path, $text);
        try {
            return Artisan::call('route:load', ['file' => $path, ...$options]);
        } finally {
            unlink($path);
        }
    }

    #[Test]
    public function a_route_is_loaded_with_defaults_and_suggestions_filled_in(): void
    {
        $this->gate->run('CREATE TABLE bands (code text PRIMARY KEY)');
        self::assertSame(0, $this->load("source: gate\ntarget: house\ndefaults: { landed_schema: copy, promise_seconds: 44 }\nfeeds:\n  - table: public.loads\n  - { table: public.bands, promise_seconds: 99 }\n"), Artisan::output());
        $loads = Feed::where('name', 'loads')->firstOrFail()->definition->parsed();
        self::assertSame(['updated_at', ['id'], 'upsert', 'copy.loads', 44], [$loads->origin->watermarkColumn(), $loads->origin->key, $loads->destination->landing->value, (string) $loads->destination->table, $loads->promiseSeconds]);
        $bands = Feed::where('name', 'bands')->firstOrFail()->definition->parsed();
        self::assertSame(['reload', 'replace', 99], [$bands->origin->capture->value, $bands->destination->landing->value, $bands->promiseSeconds]);
    }

    #[Test]
    public function one_wrong_feed_makes_none(): void
    {
        self::assertSame(1, $this->load("source: gate\ntarget: house\nfeeds:\n  - table: public.loads\n  - table: public.absent\n"));
        self::assertStringContainsString('gate has no table public.absent', Artisan::output());
        self::assertSame(0, Feed::count());
    }

    #[Test]
    public function all_that_is_wrong_is_told_at_once_and_a_schema_may_have_a_dot(): void
    {
        $this->gate->run('CREATE SCHEMA "yard.old"; CREATE TABLE "yard.old".vats (id int PRIMARY KEY); CREATE EXTENSION citext; CREATE DOMAIN brief AS citext CHECK (length(VALUE) < 9); CREATE TABLE kept (id int PRIMARY KEY, tree pg_node_tree, call regproc, kind regclass, places int2vector, code citext, label brief); INSERT INTO kept VALUES (1, NULL, \'lower(text)\'::regprocedure::oid::regproc, \'public.loads\', \'1 2\', \'Zoë\', \'B\')');
        self::assertSame(1, $this->load("source: gate\ntarget: house\nfeeds:\n  - table: public.absent\n  - { table: public.loads, watermark: sideways }\n  - table: public.gone\n", ['--dry-run' => true]));
        $told = Artisan::output();
        foreach (['public.absent', 'sideways', 'public.gone'] as $wrong) {
            self::assertStringContainsString($wrong, $told);
        }
        self::assertSame(0, $this->load("source: gate\ntarget: house\nfeeds:\n  - { table: '\"yard.old\".vats', landed: copy.vats }\n"), Artisan::output());
        self::assertSame('"yard.old".vats', (string) $this->carry(Feed::sole())->definition->parsed()->origin->table);
        self::assertSame('on time', Feed::sole()->state());

        // What only the server itself writes, and text without case, lands as text.
        self::assertSame(0, $this->load("source: gate\ntarget: house\nfeeds:\n  - { table: public.kept, capture: reload, landed: copy.kept }\n"), Artisan::output());
        $this->carry(Feed::where('name', 'kept')->sole());
        self::assertNull(Feed::where('name', 'kept')->sole()->trouble);
        self::assertSame([null, 'pg_catalog.lower', 'loads', '1 2', 'Zoë', 'B'], array_slice(array_values($this->house->row('SELECT tree, call, kind, places, code, label FROM copy.kept') ?? []), 0, 6));
    }

    #[Test]
    public function a_dry_run_tells_all_and_makes_nothing(): void
    {
        self::assertSame(0, $this->load("source: gate\ntarget: house\nfeeds:\n  - table: public.loads\n", ['--dry-run' => true, '--json' => true]));
        $told = json_decode(Artisan::output(), true)[0];
        self::assertStringContainsString('CREATE TABLE "gate"."loads"', implode($told['statements']));
        self::assertSame('Exactly once, in effect', $told['guarantee'][0]['headline']);
        self::assertSame(0, Feed::count());
    }

    #[Test]
    public function two_feeds_cannot_land_in_one_table(): void
    {
        $this->feed();
        self::assertSame(1, $this->load("source: gate\ntarget: house\nfeeds:\n  - { table: public.loads, name: other, landed: copy.loads }\n"));
        self::assertStringContainsString('the feed "loads" lands in copy.loads of house already', Artisan::output());
    }
}
