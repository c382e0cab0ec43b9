<?php

declare(strict_types=1);

namespace Tests\Drills;

use PHPUnit\Framework\Attributes\Test;

/** Reading that takes longer than a lease before its first row, and more of it than there are workers; what is urgent goes on beside it. */
final class LongWorkTest extends DrillCase
{
    private const SLOW = 3;

    protected function tearDown(): void
    {
        $this->dropSlots();
        parent::tearDown();
    }

    #[Test]
    public function long_reading_is_taken_from_nobody_and_keeps_nothing_else_waiting(): void
    {
        $this->gate->run("CREATE TABLE quick (id int PRIMARY KEY, n int, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO quick SELECT g, 0, now() - interval '1 day' FROM generate_series(1, 50) g;
            CREATE TABLE told (id int PRIMARY KEY, n int); INSERT INTO told SELECT g, 0 FROM generate_series(1, 50) g");
        $feeds = '';
        for ($i = 1; $i <= self::SLOW; $i++) {
            // The server sorts before it gives the first row, which takes four leases.
            $this->gate->run("CREATE VIEW slow{$i} AS SELECT g AS id, pg_sleep(0.1)::text AS slept FROM generate_series(1, 80) g ORDER BY 2, 1");
            $feeds .= "  - { table: public.slow{$i}, capture: reload, landing: replace, schedule: { every_minutes: 60 } }\n";
        }
        $this->loadRoute("source: gate\ntarget: house\ndefaults: { landed_schema: copy }\nfeeds:\n{$feeds}"
            ."  - { table: public.quick, watermark: updated_at, landing: upsert, promise_seconds: 5, schedule: { continuous_pause_seconds: 1 } }\n  - { table: public.told, capture: log, landing: upsert, promise_seconds: 5 }\n");
        $workers = [$this->startWorker(), $this->startWorker()];
        $worst = 0.0;
        try {
            $this->waitUntil('a long reading is under way, and the others have landed', fn (): bool => $this->own->value("SELECT count(*) FROM runs r JOIN feeds f ON f.id = r.feed_id WHERE f.name LIKE 'slow%' AND r.state = 'running'") !== '0'
                && $this->equal('quick', 'copy.quick', 'id, n') && $this->equal('told', 'copy.told', 'id, n'), 30);
            for ($second = 0; $second < 12; $second++) {
                if ($second === 3) {
                    // Who reads the log dies while the process beside it may be busy for long.
                    array_map(static fn (string $pid): bool => posix_kill((int) $pid, SIGKILL), array_filter(explode("\n", (string) shell_exec('pgrep -f "log:read" -P '.implode(',', array_map(static fn ($w): int => proc_get_status($w)['pid'], $workers))))));
                }
                $this->gate->run('UPDATE quick SET n = n + 1, updated_at = clock_timestamp(); UPDATE told SET n = n + 1');
                $since = microtime(true);
                $this->waitUntil("what was changed in second {$second} has landed", fn (): bool => $this->equal('quick', 'copy.quick', 'id, n') && $this->equal('told', 'copy.told', 'id, n'), 12);
                $worst = max($worst, microtime(true) - $since);
                usleep(500_000);
            }
            $this->waitUntil('the long readings end', fn (): bool => $this->own->value("SELECT count(*) FROM feeds WHERE name LIKE 'slow%' AND standing = 'carried'") === (string) self::SLOW, 90);
        } finally {
            array_map($this->stopWorker(...), $workers);
        }
        self::assertSame('0', $this->own->value("SELECT count(*) FROM runs r JOIN feeds f ON f.id = r.feed_id WHERE f.name LIKE 'slow%' AND r.state <> 'done'"), 'none was taken over');
        self::assertSame((string) self::SLOW, $this->own->value("SELECT count(*) FROM runs r JOIN feeds f ON f.id = r.feed_id WHERE f.name LIKE 'slow%'"));
        for ($i = 1; $i <= self::SLOW; $i++) {
            self::assertSame('80', $this->house->value("SELECT count(*) FROM copy.slow{$i}"));
        }
        // A reader that was killed holds its lease of 2 s, and its keeper looks once a second.
        self::assertLessThan(9.0, $worst, 'nothing urgent waited for a long reading of 8 s');
    }
}
