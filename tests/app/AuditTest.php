<?php

declare(strict_types=1);

namespace Tests\App;

use App\Models\AuditEntry;
use App\Models\Feed;
use App\Support\Audit;
use App\Support\AuditChain;
use Illuminate\Database\QueryException;
use Illuminate\Support\Facades\Artisan;
use Illuminate\Support\Facades\DB;
use PHPUnit\Framework\Attributes\Test;

/** Who did what is written down, and stays as it was written. */
final class AuditTest extends AppCase
{
    /** Seals what a commit would seal. */
    private function seal(): void
    {
        DB::statement('SET CONSTRAINTS ALL IMMEDIATE');
    }

    /** As somebody does it who may do anything at the server. */
    private function meddle(string $sql): void
    {
        DB::unprepared("SET LOCAL session_replication_role = replica; {$sql}; SET LOCAL session_replication_role = origin");
    }

    private function wrong(string $known = '0:'): ?string
    {
        return AuditChain::verify($known)->wrong;
    }

    #[Test]
    public function entries_are_sealed_over_each_other_and_neither_altered_nor_removed(): void
    {
        foreach (['one', 'two', 'three'] as $subject) {
            Audit::record('tried', 'thing', $subject, ['a' => 1.5], ['b' => 'ü']);
        }
        $this->seal();
        self::assertNull($this->wrong());
        $ids = AuditEntry::where('action', 'tried')->orderBy('place')->pluck('id')->all();
        foreach (["UPDATE audit_entries SET person = 'somebody else' WHERE id = {$ids[1]}", "UPDATE audit_entries SET hash = 'x' WHERE id = {$ids[1]}", "DELETE FROM audit_entries WHERE id = {$ids[1]}", 'TRUNCATE audit_entries'] as $sql) {
            try {
                DB::transaction(static fn () => DB::statement($sql));
                self::fail("{$sql} was done");
            } catch (QueryException $refused) {
                self::assertStringContainsString('neither altered nor removed', $refused->getMessage());
            }
        }
        $last = AuditChain::verify()->last;
        $places = AuditEntry::whereIn('id', $ids)->orderBy('place')->pluck('place')->all();
        foreach ([
            "UPDATE audit_entries SET person = 'somebody else' WHERE id = {$ids[1]}" => "Entry {$places[1]} (number {$ids[1]})",
            "UPDATE audit_entries SET after = '{\"b\": \"u\"}' WHERE id = {$ids[0]}" => "Entry {$places[0]} (number {$ids[0]})",
            "DELETE FROM audit_entries WHERE id = {$ids[1]}" => "Before entry {$places[2]} (number {$ids[2]}) some were removed",
            "DELETE FROM audit_entries WHERE id = {$ids[2]}" => "There is no entry {$last} any more",
            "INSERT INTO audit_entries (person, action, subject_kind, subject, at) VALUES ('x', 'y', 'z', '', now())" => 'was written past the chain',
        ] as $sql => $said) {
            DB::beginTransaction();
            $this->meddle($sql);
            self::assertStringContainsString($said, (string) $this->wrong($last), $sql);
            self::assertSame(1, Artisan::call('audit:verify', ['--known' => $last]));
            DB::rollBack();
        }
        self::assertSame(0, Artisan::call('audit:verify', ['--known' => $last]));
        self::assertStringContainsString($last, Artisan::output());
        foreach (['', 'x', '1', '1:y', "1:' OR 1=1", '99999999999999999999:x'] as $odd) {
            self::assertNotNull($this->wrong($odd), $odd);
        }
    }

    #[Test]
    public function failed_sign_ins_queries_downloads_and_exports_are_entered(): void
    {
        $engineer = $this->engineer();
        $this->post('/sign-in', ['name' => 'engineer', 'password' => 'wrong one entirely']);
        $this->post('/sign-in', ['name' => 'my-secret-password-typed-here', 'password' => 'x']);
        $feed = $this->carry($this->feed());
        $this->givesAsker();
        $this->actingAs($engineer);
        $this->post('/landed/sql', ['target' => 'house', 'sql' => 'SELECT count(*) FROM copy.loads WHERE id = 77']);
        $this->post('/landed/sql', ['target' => 'house', 'sql' => 'SELECT 1', 'as' => 'csv']);
        $this->get("/feeds/{$feed->name}/set-aside.jsonl?reason=wrong")->assertOk();
        $told = AuditEntry::where('id', '>', 0)->latest('id')->limit(7)->get()->map(static fn (AuditEntry $e): string => "{$e->action} {$e->subject}")->all();
        foreach (['failed to sign in as engineer', 'failed to sign in as (nobody of that name)', 'asked house', 'downloaded from house', 'exported set-aside records of loads'] as $entry) {
            self::assertContains($entry, $told);
        }
        self::assertStringNotContainsString('my-secret-password', json_encode(AuditEntry::latest('id')->limit(20)->get(), JSON_THROW_ON_ERROR));
        $this->get('/audit')->assertOk()->assertSee('WHERE id = 77');
        $this->actingAs($this->person('viewer', 'viewer'))->get('/audit')->assertOk()->assertSee('asked')->assertDontSee('WHERE id = 77');
    }

    #[Test]
    public function the_page_is_filtered_by_person_thing_and_time(): void
    {
        $this->actingAs($this->engineer());
        Audit::record('tried', 'thing', 'the 100% press');
        Audit::record('tried', 'thing', 'another press');
        AuditEntry::insert(['person' => 'old hand', 'action' => 'tried', 'subject_kind' => 'thing', 'subject' => 'an old press', 'at' => '2020-01-02 03:04:05+00']);
        $this->get('/audit?what='.urlencode('100%'))->assertOk()->assertSee('the 100% press')->assertDontSee('another press');
        $this->get('/audit?who=old%20hand')->assertSee('an old press')->assertDontSee('another press');
        $this->get('/audit?from=2020-01-01T00:00&to=2020-12-31T00:00')->assertSee('an old press')->assertDontSee('another press');
        $this->get('/audit?what=nothing-of-the-kind')->assertSee('No entry fits');
        foreach (['from=never', 'page=-5', 'page=99999999999', 'what='.str_repeat('x', 5000)] as $odd) {
            $this->get("/audit?{$odd}")->assertOk();
        }
        self::assertSame(0, Feed::count());
    }
}
