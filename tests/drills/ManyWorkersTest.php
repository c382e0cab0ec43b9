<?php

declare(strict_types=1);

namespace Tests\Drills;

use PHPUnit\Framework\Attributes\Test;

/** Several workers at once, whose sessions with source, target and their own database are cut again and again. */
final class ManyWorkersTest extends DrillCase
{
    #[Test]
    public function workers_share_the_feeds_and_cut_connections_cost_nothing(): void
    {
        $feeds = 6;
        $yaml = "source: gate\ntarget: house\ndefaults: { landed_schema: copy, schedule: { continuous_pause_seconds: 1 } }\nfeeds:\n";
        for ($i = 1; $i <= $feeds; $i++) {
            $this->gate->run("CREATE TABLE t{$i} (id int PRIMARY KEY, pad text, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO t{$i} SELECT g, repeat('x', 200), now() - interval '1 day' FROM generate_series(1, 20000) g; ANALYZE t{$i}");
            $yaml .= "  - { table: public.t{$i}, watermark: updated_at, landing: ".($i % 2 ? 'upsert' : 'append')." }\n";
        }
        $this->loadRoute($yaml);
        $workers = [$this->startWorker(), $this->startWorker(), $this->startWorker()];
        try {
            // On a machine with other work nothing may be under way when connections are cut.
            for ($round = 0; $round < 6 || ($round < 60 && $this->own->value("SELECT count(*) FROM runs WHERE state = 'failed'") === '0'); $round++) {
                usleep(500_000);
                $this->gate->run("INSERT INTO t1 SELECT 100000 + {$round} * 100 + g, 'new' FROM generate_series(1, 50) g; INSERT INTO t2 SELECT 100000 + {$round} * 100 + g, 'new' FROM generate_series(1, 50) g");
                $this->own->run('SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = current_database() AND pid <> pg_backend_pid()');
                $this->gate->run("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE (application_name = 'lighterman reader' OR application_name LIKE 'lighterman lands %') AND datname ~ '{$this->suffix}'");
            }
            $this->waitUntil('all copies are equal', function () use ($feeds): bool {
                for ($i = 1; $i <= $feeds; $i++) {
                    if (! $this->equal("public.t{$i}", "copy.t{$i}", 'id, pad, updated_at')) {
                        return false;
                    }
                }

                return true;
            });
        } finally {
            array_map($this->stopWorker(...), $workers);
        }
        self::assertGreaterThan(1, (int) $this->own->value('SELECT count(DISTINCT worker) FROM runs'), 'more than one worker carried something');
        self::assertGreaterThan(0, (int) $this->own->value("SELECT count(*) FROM runs WHERE state = 'failed'"), 'some runs were cut');
        for ($i = 1; $i <= $feeds; $i++) {
            $this->assertReceiptsJoin("t{$i}");
        }
        self::assertSame('0', $this->own->value('SELECT count(*) FROM runs a JOIN runs b ON a.feed_id = b.feed_id AND a.id < b.id AND b.started_at < a.ended_at AND a.empty_runs = 0 AND b.empty_runs = 0'), 'no two runs of a feed at the same time');
    }

    #[Test]
    public function a_feed_that_could_not_be_given_back_is_carried_all_the_same(): void
    {
        $this->gate->run("CREATE TABLE t1 (id int PRIMARY KEY, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO t1 SELECT g, now() - interval '1 day' FROM generate_series(1, 100) g");
        $this->loadRoute("source: gate\ntarget: house\ndefaults: { landed_schema: copy, schedule: { continuous_pause_seconds: 1 } }\nfeeds:\n  - { table: public.t1, watermark: updated_at, landing: upsert }\n");
        // Lighterman's own database goes away at the moment the worker gives the feed back, once.
        $this->own->run("CREATE SEQUENCE given_back; CREATE FUNCTION fail_once() RETURNS trigger LANGUAGE plpgsql AS \$\$ BEGIN IF nextval('given_back') = 1 THEN RAISE 'gone'; END IF; RETURN new; END \$\$;
            CREATE TRIGGER fail_once BEFORE UPDATE ON leases FOR EACH ROW WHEN (new.expires_at < clock_timestamp()) EXECUTE FUNCTION fail_once()");
        $worker = $this->startWorker();
        try {
            $this->waitUntil('it was not given back', fn (): bool => $this->own->value('SELECT is_called FROM given_back') === 't', 20);
            $this->gate->run('INSERT INTO t1 VALUES (101)');
            $this->waitUntil('it is carried again', fn (): bool => $this->equal('public.t1', 'copy.t1', 'id, updated_at'), 20);
        } finally {
            $this->stopWorker($worker);
        }
        self::assertSame('0', $this->own->value('SELECT count(*) FROM leases WHERE expires_at > clock_timestamp()'), 'nothing is held by a worker that has ended');
    }

    /** Who minds it may have been killed before it had come so far as to look whose child it is. */
    #[Test]
    public function a_child_whose_keeper_is_gone_ends_by_itself(): void
    {
        $child = proc_open([PHP_BINARY, 'bin/lighterman', 'work', '--carry=1'], [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], ['file', '/dev/null', 'w']], $pipes, null, $this->environment());
        self::assertIsResource($child);
        try {
            $this->waitUntil('it has ended', static fn (): bool => ! proc_get_status($child)['running'], 15);
        } finally {
            proc_terminate($child, SIGKILL);
            proc_close($child);
        }
    }
}
