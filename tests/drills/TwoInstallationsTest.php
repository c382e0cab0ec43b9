<?php

declare(strict_types=1);

namespace Tests\Drills;

use Lighterman\Connectors\Postgres\Server\Connection;
use PHPUnit\Framework\Attributes\Test;
use PHPUnit\Framework\Attributes\TestWith;
use PHPUnit\Framework\ExpectationFailedException;

/** Two Lightermans that know nothing of each other, with the same source and the same landed table. */
final class TwoInstallationsTest extends DrillCase
{
    /** Which of them is spoken to. */
    private string $which = 'own';

    private Connection $second;

    protected function setUp(): void
    {
        parent::setUp();
        $this->onServer("CREATE DATABASE drill_second_{$this->suffix}");
        $this->second = $this->connect("drill_second_{$this->suffix}", 'own');
        $this->which = 'second';
        $this->command(['migrate', '--force', '--quiet']);
        foreach (['gate', 'house'] as $name) {
            $this->command(['system:add', $name, '--port='.$this->portFor($name), "--database=drill_{$name}_{$this->suffix}", '--user=lighterman'], $this->server($name)[1]."\n");
        }
        $this->which = 'own';
        $this->gate->run('CREATE TABLE loads (id int PRIMARY KEY, kg int, pad text, updated_at timestamptz NOT NULL DEFAULT now()); INSERT INTO loads SELECT g, g, repeat(md5(g::text), 8) FROM generate_series(1, 60000) g; CREATE INDEX ON loads (updated_at)');
    }

    protected function tearDown(): void
    {
        $this->dropSlots();
        $this->second->close();
        parent::tearDown();
        $this->onServer("DROP DATABASE IF EXISTS drill_second_{$this->suffix} WITH (FORCE)");
    }

    private function onServer(string $sql): void
    {
        $admin = $this->connect('postgres', 'own');
        $admin->run($sql);
        $admin->close();
    }

    /** @return array<string, string> */
    protected function environment(): array
    {
        return ['LIGHTERMAN_DB_NAME' => "drill_{$this->which}_{$this->suffix}", 'LIGHTERMAN_GAP_SECONDS' => '1'] + parent::environment();
    }

    private function feed(string $capture, string $more = ''): void
    {
        $this->loadRoute("source: gate\ntarget: house\nfeeds:\n  - { name: loads, table: public.loads, capture: {$capture}, landing: upsert, landed: l.loads".($capture === 'watermark' ? ', watermark: updated_at, schedule: { continuous_pause_seconds: 1 }' : '')."{$more} }\n");
    }

    private function standing(Connection $of): string
    {
        return (string) $of->value("SELECT standing || coalesce(': ' || (trouble->>'message'), '') FROM feeds");
    }

    #[Test]
    #[TestWith(['log', 'loading'])]
    #[TestWith(['log', 'paused'])]
    #[TestWith(['watermark', 'carried'])]
    public function the_second_is_refused_until_it_asks_to_take_over_and_then_the_first_stops(string $capture, string $state): void
    {
        $this->feed($capture);
        $workers = [$this->startWorker()];
        try {
            $this->waitUntil('the first lands', fn (): bool => $state === 'loading' ? (int) $this->own->value('SELECT sequence FROM feeds') > 0 : $this->equal('loads', 'l.loads', 'id, kg'), 60);
            $state !== 'paused' || $this->command(['feed:pause', 'loads']);

            $this->which = 'second';
            $refused = null;
            try {
                $this->feed($capture);
            } catch (ExpectationFailedException $e) {
                $refused = $e->getMessage();
            }
            self::assertStringContainsString('loads: l.loads belongs to another feed', (string) $refused);
            self::assertStringContainsString('Choose another landed table, or allow the feed to take it over', (string) $refused);
            self::assertSame('0', $this->second->value('SELECT count(*) FROM feeds'));
            $workers[] = $this->startWorker();
            $this->feed($capture, ', take_over: true');
            $this->waitUntil('the second lands', fn (): bool => $this->standing($this->second) === 'carried', 90);

            $this->gate->run('UPDATE loads SET kg = kg + 1, updated_at = clock_timestamp() WHERE id % 100 = 0; DELETE FROM loads WHERE id = 1 AND '.($capture === 'log' ? 'true' : 'false'));
            $this->which = 'own';
            $state !== 'paused' || $this->command(['feed:resume', 'loads']);
            $this->waitUntil('the first is told', fn (): bool => str_contains($this->standing($this->own), 'failed:'), 60);
            self::assertStringContainsString('another feed', $this->standing($this->own));
            $this->waitUntil('the second goes on', fn (): bool => $this->equal('loads', 'l.loads', 'id, kg'), 60);
            // Resuming the first does not give it back.
            $this->command(['feed:resume', 'loads']);
            $this->gate->run('UPDATE loads SET kg = kg + 1, updated_at = clock_timestamp() WHERE id % 77 = 0');
            $this->waitUntil('the second goes on alone', fn (): bool => $this->equal('loads', 'l.loads', 'id, kg') && str_contains($this->standing($this->own), 'failed:'), 60);
            self::assertSame('carried', $this->standing($this->second));
        } finally {
            array_map($this->stopWorker(...), $workers);
        }
    }
}
