<?php

declare(strict_types=1);

namespace Tests\Drills;

use Lighterman\Connectors\Lake\LakeSettings;
use Lighterman\Connectors\Lake\LakeTarget;
use Lighterman\Connectors\Lake\Ledger;
use Lighterman\Connectors\Tests\StandInStore;
use Lighterman\Core\Trouble\SystemTrouble;
use PHPUnit\Framework\Attributes\DataProvider;
use PHPUnit\Framework\Attributes\Test;

/** Kills a worker while it writes files: through the catalogue no row is lost or doubled, and no file is left over. */
final class LakeKillTest extends DrillCase
{
    /** @return iterable<string, array{bool}> */
    public static function places(): iterable
    {
        yield 'in a folder' => [false];
        yield 'in an object store' => [true];
    }

    #[Test, DataProvider('places')]
    public function the_lake_equals_the_source_and_holds_no_file_that_counts_nowhere(bool $far): void
    {
        $rounds = (int) (getenv('LIGHTERMAN_DRILL_ROUNDS') ?: 6);
        $seed = (int) (getenv('LIGHTERMAN_DRILL_SEED') ?: random_int(1, PHP_INT_MAX >> 33));
        mt_srand($seed);
        $path = sys_get_temp_dir().'/drill-lake-'.$this->suffix;
        mkdir($path);
        $store = $far ? new StandInStore : null;
        $settings = new LakeSettings('lake', $store?->at('cider') ?? $path, 160, 2, "{$path}/_lighterman/spill");
        $lake = new LakeTarget($settings);
        $this->gate->run("CREATE TABLE loads (id int PRIMARY KEY, kg int, arrived_on date, updated_at timestamptz NOT NULL DEFAULT now()); CREATE INDEX ON loads (updated_at);
            INSERT INTO loads SELECT g, g, DATE '2026-01-01' + g % 9, now() - interval '1 day' FROM generate_series(1, 400000) g;
            CREATE TABLE passages (entry bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY, lane int); INSERT INTO passages (lane) SELECT g % 4 FROM generate_series(1, 50000) g; ANALYZE");
        $this->command(['system:add', 'lake', ...($store === null ? ['--kind=lake', "--path={$path}"] : ['--kind=lake-store', "--endpoint=http://127.0.0.1:{$store->port}", '--bucket=cider', '--prefix=cider', '--user=press'])], $store === null ? '' : "invented-secret\n");
        $this->loadRoute("source: gate\ntarget: lake\ndefaults: { landed_schema: copy, schedule: { continuous_pause_seconds: 1 } }\nfeeds:\n"
            ."  - { table: public.loads, watermark: updated_at, landing: upsert, partition_by: [day(arrived_on)] }\n"
            ."  - { table: public.passages, watermark: entry, landing: append, partition_by: [lane] }\n");
        $cutShort = 0;
        try {
            for ($round = 0; $round < $rounds; $round++) {
                // Files are joined in between, also while it is killed.
                $this->own->run('UPDATE feeds SET join_asked = true');
                $cutShort += $this->killedInARun(fn () => $this->gate->run('UPDATE loads SET kg = kg + 1, arrived_on = arrived_on + (id % 11 = 0)::int, updated_at = clock_timestamp() WHERE id % 5 = '.mt_rand(0, 4).'; INSERT INTO passages (lane) SELECT g % 4 FROM generate_series(1, 2000) g'), 900);
            }
            $worker = $this->startWorker();
            try {
                $loads = "SELECT count(*) || ' ' || sum(id::bigint * 31 + kg * 7 + extract(day FROM arrived_on)::int)::bigint FROM ";
                $passages = "SELECT count(*) || ' ' || sum(entry * 5 + lane)::bigint FROM ";
                $this->waitUntil("the lake equals the source (seed {$seed})", fn (): bool => $this->gate->value("{$loads} loads") === $this->inLake($lake, "{$loads} copy.loads") && $this->gate->value("{$passages} passages") === $this->inLake($lake, "{$passages} copy.passages"));
            } finally {
                $this->stopWorker($worker);
            }
            self::assertGreaterThan(0, $cutShort, "no kill met a run under way (seed {$seed})");
            $ledger = new Ledger($settings->folder());
            $kept = [];
            foreach ($ledger->all() as $page) {
                $kept += $page->kept();
                foreach ($page->receipts as $i => $receipt) {
                    self::assertTrue($i === 0 || $page->receipts[$i - 1]->to->equals($receipt->from), "receipt {$receipt->sequence} does not join (seed {$seed})");
                }
            }
            $there = $settings->folder()->files('copy');
            self::assertSame([], array_diff($there, array_keys($kept)), "files that count nowhere (seed {$seed})");
            self::assertSame([], array_diff(array_keys($kept), $there), "files that are missing (seed {$seed})");
            self::assertSame('0', $this->own->value('SELECT count(*) FROM receipts WHERE read <> inserted + updated + unchanged + dropped + set_aside'));
        } finally {
            exec('rm -rf '.escapeshellarg($path));
        }
    }

    private function inLake(LakeTarget $lake, string $sql): ?string
    {
        try {
            return $lake->query($sql, 1, 30)->rows[0][0] ?? null;
        } catch (SystemTrouble) {
            return null;
        }
    }
}
