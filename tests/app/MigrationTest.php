<?php

declare(strict_types=1);

namespace Tests\App;

use Illuminate\Contracts\Console\Kernel;
use Illuminate\Database\Connection;
use Illuminate\Foundation\Testing\TestCase;
use Illuminate\Support\Facades\Artisan;
use Illuminate\Support\Facades\DB;
use PHPUnit\Framework\Attributes\Test;

/** What an installation holds is carried over; dumps were made with the version before. */
final class MigrationTest extends TestCase
{
    private const NAME = 'lighterman_migration';

    public function createApplication()
    {
        $app = require __DIR__.'/../../bootstrap/app.php';
        $app->make(Kernel::class)->bootstrap();

        return $app;
    }

    protected function tearDown(): void
    {
        DB::purge('old');
        DB::statement('DROP DATABASE IF EXISTS '.self::NAME.' WITH (FORCE)');
        parent::tearDown();
    }

    private function restored(string $dump): Connection
    {
        DB::statement('DROP DATABASE IF EXISTS '.self::NAME.' WITH (FORCE)');
        DB::statement('CREATE DATABASE '.self::NAME);
        config(['database.connections.old' => ['database' => self::NAME] + config('database.connections.'.config('database.default'))]);
        $old = DB::connection('old');
        $old->unprepared((string) file_get_contents(__DIR__."/dumps/{$dump}.sql"));

        return $old;
    }

    /** @return array<string, mixed> */
    private static function told(Connection $of): array
    {
        return [
            'logs' => $of->table('route_logs')->orderBy('id')->get(['read_to', 'names'])->map(static fn (\stdClass $l): array => [$l->read_to, json_decode($l->names, true)])->all(),
            'leases' => $of->table('leases')->orderBy('token')->get(['feed_id', 'log_id', 'worker', 'token'])->map(static fn (\stdClass $l): array => array_values((array) $l))->all(),
            'spool' => $of->table('spool')->orderBy('id')->get(['feed_id', 'place', 'part', 'committed_at', 'changes', DB::raw("encode(body, 'hex') AS body")])->map(static fn (\stdClass $l): array => array_values((array) $l))->all(),
            'set aside' => $of->table('set_aside')->orderBy('id')->pluck('position')->all(),
            'positions' => $of->table('feeds')->orderBy('id')->pluck('position')->map(static fn (string $p): array => json_decode($p, true))->all(),
        ];
    }

    #[Test]
    public function positions_spool_and_leases_of_an_older_version_are_carried_over(): void
    {
        $old = $this->restored('2026-11-29');
        self::assertSame(0, Artisan::call('migrate', ['--database' => 'old', '--force' => true]), Artisan::output());
        $is = [
            'logs' => [['1/C0000084', ['slot' => 'lighterman_gate_house_11111111', 'publication' => 'lighterman_gate_house']], ['3/3', ['triggers' => '5f0c1d2e']]],
            'leases' => [[null, 1, 'barn:4711', 9], [3, null, 'barn:4712', 41]],
            'spool' => [[1, '1/C00000B6+', 0, 1764000000000000, 1, '00'], [1, '1/C00000E7+', 0, 1764000000000001, 1000, '01'], [1, '1/C00000E7+', 1, 1764000000000001, 2, '02'], [2, '3/4+', 0, 1764000000000002, 7, '03']],
            'set aside' => ['1/C0000044', 'after 2026-11-01'],
            'positions' => [['phase' => 'log', 'place' => '1/C0000044'], ['phase' => 'log', 'place' => '3/3'], ['key' => [], 'phase' => 'after', 'watermark' => '2026-11-01 00:00:00+00']],
        ];
        self::assertEquals($is, self::told($old));

        // Back and forth again.
        Artisan::call('migrate:rollback', ['--database' => 'old', '--force' => true]);
        self::assertSame([[7516192900, 'lighterman_5f0c1d2e'], [7516192836, null]], [array_values((array) $old->selectOne('SELECT max(read_to) FILTER (WHERE id = 1) AS r, max(slot) FILTER (WHERE id = 2) AS s FROM route_logs')), $old->table('set_aside')->orderBy('id')->pluck('lsn')->all()]);
        Artisan::call('migrate', ['--database' => 'old', '--force' => true]);
        self::assertEquals($is, self::told($old));
    }
}
