<?php

declare(strict_types=1);

namespace Tests\Drills;

use PHPUnit\Framework\Attributes\Test;

/** Kills a worker while records are treated, parted by a fork and set aside: each record stands in exactly one place, once. */
final class TreatedKillTest extends DrillCase
{
    #[Test]
    public function no_record_is_lost_or_set_aside_twice_when_a_worker_is_killed(): void
    {
        $rounds = (int) (getenv('LIGHTERMAN_DRILL_ROUNDS') ?: 6);
        $seed = (int) (getenv('LIGHTERMAN_DRILL_SEED') ?: random_int(1, PHP_INT_MAX >> 33));
        mt_srand($seed);
        $this->gate->run("CREATE TABLE loads (id int PRIMARY KEY, grower text, kg int, updated_at timestamptz NOT NULL DEFAULT now()); CREATE INDEX ON loads (updated_at);
            INSERT INTO loads SELECT g, 'grower ' || g, g, now() - interval '1 day' FROM generate_series(1, 200000) g; ANALYZE");
        $this->loadRoute("source: gate\ntarget: house\ndefaults: { landed_schema: copy, schedule: { continuous_pause_seconds: 1 } }\nfeeds:\n"
            ."  - { table: public.loads, watermark: updated_at, landing: upsert, treatment: { failing: set_aside, columns: [{ from: grower, steps: [{ mask: keep_last, keep: 4 }] }, { as: double, steps: [{ derive: kg * 2, type: int64 }] }], checks: [{ check: expression, expression: 'id % 50 != 0', else: set_aside }, { check: expression, expression: 'id % 53 != 0', else: drop }], forks: [{ name: thirds, when: 'kg % 3 == 0', landed: copy.thirds, columns: [{ from: id, as: third_id }] }], otherwise: land } }\n");
        $cutShort = 0;
        for ($round = 0; $round < $rounds; $round++) {
            $cutShort += $this->killedInARun(fn () => $this->gate->run('UPDATE loads SET kg = kg + 1, updated_at = clock_timestamp() WHERE id % 37 = '.mt_rand(0, 36)), 600);
        }
        $worker = $this->startWorker();
        $rows = static fn (string $from, string $double): string => "SELECT count(*) || ' ' || coalesce(sum(hashtextextended(id || ' ' || kg || ' ' || {$double}, 0)), 0) FROM {$from}";
        try {
            $this->waitUntil("what may land has landed (seed {$seed})", fn (): bool => $this->house->value("SELECT to_regclass('copy.loads') IS NOT NULL") === 't'
                && $this->house->value($rows('copy.loads', 'double')) === $this->gate->value($rows('loads WHERE id % 50 <> 0 AND id % 53 <> 0 AND kg % 3 <> 0', 'kg * 2'))
                && $this->house->value($rows('(SELECT third_id AS id, kg, double FROM copy.thirds) t', 'double')) === $this->gate->value($rows('loads WHERE id % 50 <> 0 AND id % 53 <> 0 AND kg % 3 = 0', 'kg * 2')));
        } finally {
            $this->stopWorker($worker);
        }
        self::assertGreaterThan(0, $cutShort, "no kill met a run under way (seed {$seed})");
        $waiting = array_column($this->own->rows("SELECT record->>'id' || ' ' || (record->>'kg') AS row FROM set_aside WHERE state = 'waiting' AND overtaken_by IS NULL"), 'row');
        $failing = array_column($this->gate->rows("SELECT id || ' ' || kg AS row FROM loads WHERE id % 50 = 0"), 'row');
        sort($waiting);
        sort($failing);
        self::assertSame($failing, $waiting, "the newest version of every failing row waits, once (seed {$seed})");
        self::assertSame($this->own->value('SELECT count(*) FROM set_aside'), $this->own->value('SELECT sum(set_aside) FROM receipts'), "(seed {$seed})");
        self::assertSame('0', $this->own->value('SELECT count(*) FROM receipts WHERE read <> inserted + updated + unchanged + dropped + set_aside'));
        self::assertSame('0', $this->house->value("SELECT count(*) FROM copy.loads WHERE grower LIKE 'grower%'"));
        $this->assertReceiptsJoin('loads', "(seed {$seed})");
    }
}
