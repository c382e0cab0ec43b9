<?php

declare(strict_types=1);

namespace Tests\Drills;

use PHPUnit\Framework\Attributes\Test;

/** Workers that stand still for longer than their lease, and go on when another has taken over. */
final class FrozenTest extends DrillCase
{
    protected function tearDown(): void
    {
        $this->dropSlots();
        parent::tearDown();
    }

    #[Test]
    public function a_reader_that_stands_still_in_the_middle_of_a_landing_keeps_nobody_out(): void
    {
        $this->gate->run('CREATE TABLE loads (id int PRIMARY KEY, kg int, ticket text); INSERT INTO loads SELECT g, g, md5(g::text) FROM generate_series(1, 500) g');
        $this->loadRoute("source: gate\ntarget: house\nfeeds:\n  - {name: loads, table: public.loads, capture: log, key: [id], landing: upsert, landed: l.loads}\n");
        $first = $this->startWorker();
        $this->waitUntil('the first load', fn (): bool => $this->equal('loads', 'l.loads', 'id, kg, ticket'));
        $this->gate->run('INSERT INTO loads SELECT g, g, md5(g::text) FROM generate_series(501, 400000) g');
        $this->waitUntil('a landing that is under way', fn (): bool => $this->house->value("SELECT count(*) FROM pg_locks l JOIN pg_stat_activity a USING (pid) WHERE a.application_name LIKE 'lighterman lands %' AND l.mode = 'RowExclusiveLock' AND l.relation = 'l.loads'::regclass") !== '0', 30);
        $reader = (int) shell_exec('pgrep -P '.proc_get_status($first)['pid'].' -f log:read');
        self::assertGreaterThan(0, $reader);
        posix_kill($reader, SIGSTOP);
        $stopped = microtime(true);
        $second = $this->startWorker();
        try {
            $this->waitUntil('the successor holds the log', fn (): bool => $this->own->value("SELECT count(*) FROM run_lines WHERE said LIKE '%has taken over%'") !== '0', 20);
            // The lease is 2 s here; another worker looks once a second.
            self::assertLessThan(8.0, microtime(true) - $stopped);
            $this->waitUntil('everything has landed', fn (): bool => $this->equal('loads', 'l.loads', 'id, kg, ticket'), 90);
        } finally {
            posix_kill($reader, SIGCONT);
        }
        $this->gate->run('UPDATE loads SET kg = kg + 1 WHERE id <= 100');
        $this->waitUntil('it goes on', fn (): bool => $this->equal('loads', 'l.loads', 'id, kg, ticket'));
        sleep(2);
        $this->stopWorker($first);
        $this->stopWorker($second);
        $this->assertReceiptsJoin('loads');
        self::assertSame(
            $this->own->value('SELECT sum(inserted + updated + deleted) FROM receipts'), $this->own->value('SELECT sum(rows) FROM carried_hours'),
            'what the reader that stood still had in memory is not counted again',
        );
        self::assertSame('399600', $this->own->value('SELECT sum(delivered) FROM tides WHERE step = 60'), 'nor its changes');
    }
}
