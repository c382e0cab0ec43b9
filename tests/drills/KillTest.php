<?php

declare(strict_types=1);

namespace Tests\Drills;

use PHPUnit\Framework\Attributes\Test;

/**
 * Kills a worker with SIGKILL at random points, during first loads and after, while rows change; then lets one finish and
 * compares everything. LIGHTERMAN_DRILL_ROUNDS sets the number of kills, LIGHTERMAN_DRILL_SEED repeats a failed one.
 */
final class KillTest extends DrillCase
{
    #[Test]
    public function a_worker_killed_at_any_point_loses_and_doubles_nothing(): void
    {
        $rounds = (int) (getenv('LIGHTERMAN_DRILL_ROUNDS') ?: 8);
        $seed = (int) (getenv('LIGHTERMAN_DRILL_SEED') ?: random_int(1, PHP_INT_MAX >> 33));
        mt_srand($seed);
        $this->fillGate();
        $this->loadRoute("source: gate\ntarget: house\ndefaults: { landed_schema: copy, schedule: { continuous_pause_seconds: 1 } }\nfeeds:\n"
            ."  - { table: public.loads, watermark: updated_at, landing: upsert }\n  - { table: public.log, watermark: id, landing: append }\n  - { table: public.bands, capture: reload }\n");

        $cutShort = 0;
        for ($round = 0; $round < $rounds; $round++) {
            $cutShort += $this->killedInARun($this->change(...), 600);
        }

        $worker = $this->startWorker();
        try {
            $this->waitUntil("all copies are equal (seed {$seed})", fn (): bool => $this->equal('public.loads', 'copy.loads', 'id, pad, kg, updated_at')
                && $this->equal('public.log', 'copy.log', 'id, pad') && $this->equal('public.bands', 'copy.bands', 'id, pad, price'));
        } finally {
            $this->stopWorker($worker);
        }
        self::assertGreaterThan(0, $cutShort, "no kill met a run under way (seed {$seed})");
        self::assertSame('0', $this->house->value('SELECT count(*) - count(DISTINCT id) FROM copy.log'), "doubled rows (seed {$seed})");
        foreach (['loads', 'log', 'bands'] as $feed) {
            $this->assertReceiptsJoin($feed, "(seed {$seed})");
        }
        self::assertGreaterThan(0, (int) $this->own->value("SELECT count(*) FROM runs WHERE state = 'lost'"));
    }

    private function fillGate(): void
    {
        $this->gate->run("CREATE TABLE loads (id int PRIMARY KEY, pad text, kg int, updated_at timestamptz NOT NULL DEFAULT now());
            CREATE INDEX ON loads (updated_at);
            CREATE TABLE log (id bigint PRIMARY KEY GENERATED ALWAYS AS IDENTITY, pad text);
            CREATE TABLE bands (id int PRIMARY KEY, pad text, price int);
            INSERT INTO loads SELECT g, repeat('x', 400), g, now() - interval '1 day' FROM generate_series(1, 150000) g;
            INSERT INTO log (pad) SELECT repeat('y', 300) FROM generate_series(1, 150000) g;
            INSERT INTO bands SELECT g, repeat('z', 300), g FROM generate_series(1, 60000) g; ANALYZE");
    }

    private function change(): void
    {
        $this->gate->run('UPDATE loads SET kg = kg + 1, updated_at = now() WHERE id % 37 = '.mt_rand(0, 36));
        $this->gate->run("INSERT INTO loads (id, pad) SELECT (SELECT max(id) FROM loads) + g, 'new' FROM generate_series(1, 200) g");
        $this->gate->run("INSERT INTO log (pad) SELECT 'n' FROM generate_series(1, 500)");
        $this->gate->run('UPDATE bands SET price = price + 1 WHERE id % 11 = '.mt_rand(0, 10));
    }
}
