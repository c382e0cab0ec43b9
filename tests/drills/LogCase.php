<?php

declare(strict_types=1);

namespace Tests\Drills;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Core\Trouble\SystemTrouble;

/** A route whose log is read, with a landing of every kind, and traffic that does what makes change capture hard. */
abstract class LogCase extends DrillCase
{
    protected const COLUMNS = 'id, ticket, gross, status, note, big, updated_at';

    protected const ROUTE = 'gate → house';

    private const FEEDS = ['kept', 'marked', 'versions', 'journal'];

    /** @var resource|null */
    protected $reader = null;

    /** @var list<resource> */
    private array $traffic = [];

    protected function tearDown(): void
    {
        $this->endTraffic();
        if ($this->reader !== null) {
            $this->kill($this->reader);
        }
        parent::tearDown();
    }

    protected function setUpRoute(int $rows = 20_000, string $capture = 'log', string $target = 'house', string $writing = ''): void
    {
        $this->gate->run("CREATE TABLE loads (id bigint PRIMARY KEY, ticket text NOT NULL, gross numeric(9,1), status text, note text, big text, updated_at timestamptz NOT NULL DEFAULT now());
            ALTER TABLE loads ALTER big SET STORAGE EXTERNAL;
            INSERT INTO loads SELECT g, 'T' || g, g, 'settled', NULL, CASE WHEN g % 100 = 0 THEN repeat(md5(g::text), 100) END FROM generate_series(1, {$rows}) g;
            CREATE TABLE paid (grower int PRIMARY KEY, amount bigint NOT NULL); INSERT INTO paid SELECT g, 0 FROM generate_series(1, 50) g;
            CREATE TABLE owed (grower int PRIMARY KEY, amount bigint NOT NULL); INSERT INTO owed SELECT g, 1000 FROM generate_series(1, 50) g;
            CREATE SEQUENCE fresh START 1000000;");
        // Ours commits late and in any order, moves keys, leaves large values unsent, and changes two tables at once.
        $this->gate->run(<<<'SQL'
            CREATE PROCEDURE harvest(rounds int, seed float) LANGUAGE plpgsql AS $$
            DECLARE r float; k bigint; n int := (SELECT count(*) FROM loads);
            BEGIN
                PERFORM setseed(seed);
                FOR i IN 1..rounds LOOP
                    r := random(); k := 1 + floor(random() * n);
                    BEGIN
                        IF r < 0.40 THEN UPDATE loads SET gross = gross + 1, updated_at = clock_timestamp() WHERE id = k;
                        ELSIF r < 0.50 THEN UPDATE loads SET status = 's' || i WHERE id = 100 * (k / 100);
                        ELSIF r < 0.55 THEN UPDATE loads SET id = nextval('fresh') WHERE id = 100 * (k / 100);
                        ELSIF r < 0.65 THEN INSERT INTO loads (id, ticket, gross) VALUES (nextval('fresh'), E'T\t\\n\n' || i, 1.5);
                        ELSIF r < 0.75 THEN DELETE FROM loads WHERE id = k;
                        ELSIF r < 0.80 THEN DELETE FROM loads WHERE id = k; INSERT INTO loads (id, ticket, gross) VALUES (k, 'again', 2);
                        ELSIF r < 0.85 THEN UPDATE loads SET note = 'n' || i WHERE id BETWEEN k AND k + 20;
                        ELSE
                            UPDATE paid SET amount = amount + 3 WHERE grower = 1 + k % 50;
                            UPDATE owed SET amount = amount - 3 WHERE grower = 1 + (k + i) % 50;
                        END IF;
                    EXCEPTION WHEN unique_violation OR deadlock_detected THEN NULL; END;
                    IF random() < 0.6 THEN COMMIT; END IF;
                    IF random() < 0.02 THEN COMMIT; PERFORM pg_sleep(0.02); END IF;
                END LOOP;
            END $$
            SQL);
        $this->loadRoute(<<<YAML
            source: gate
            target: {$target}
            defaults: { capture: {$capture}, promise_seconds: 60 }
            feeds:
              - { table: public.loads, name: kept, landed: l.kept{$writing} }
              - { table: public.loads, name: marked, landed: l.marked, deletes: mark{$writing} }
              - { table: public.loads, name: versions, landed: l.versions, landing: versions{$writing} }
              - { table: public.loads, name: journal, landed: l.journal, landing: append{$writing} }
              - { table: public.paid, name: paid, landed: l.paid{$writing} }
              - { table: public.owed, name: owed, landed: l.owed{$writing} }
            YAML);
    }

    /** @return resource */
    protected function startReader()
    {
        $process = proc_open([PHP_BINARY, 'bin/lighterman', 'log:read', static::ROUTE], [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], ['file', '/dev/null', 'w']], $pipes, null, $this->environment());
        self::assertIsResource($process);

        return $this->reader = $process;
    }

    /** @param  resource  $process */
    protected function kill($process): void
    {
        proc_terminate($process, SIGKILL);
        proc_close($process);
        $this->reader = null;
    }

    protected function startTraffic(int $rounds, int $seed, int $desks = 2): void
    {
        for ($desk = 0; $desk < $desks; $desk++) {
            $process = proc_open(['psql', '-X', '-q', '-c', "CALL harvest({$rounds}, ".(($seed + $desk) % 1000 / 1000).')'], [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], ['file', '/dev/null', 'w']], $pipes, null, $this->gateEnvironment());
            self::assertIsResource($process);
            $this->traffic[] = $process;
        }
    }

    protected function trafficRuns(): bool
    {
        return array_filter($this->traffic, static fn ($p): bool => proc_get_status($p)['running']) !== [];
    }

    protected function endTraffic(): void
    {
        foreach ($this->traffic as $process) {
            proc_terminate($process);
            proc_close($process);
        }
        $this->traffic = [];
    }

    /** @return array<string, string> */
    protected function gateEnvironment(): array
    {
        [$port, $password] = $this->server('gate');

        return ['PGHOST' => '127.0.0.1', 'PGPORT' => (string) $port, 'PGUSER' => 'lighterman', 'PGPASSWORD' => $password, 'PGDATABASE' => "drill_gate_{$this->suffix}"] + getenv();
    }

    protected function drain(): void
    {
        // A reader that was killed holds its lease for a moment yet.
        $this->waitUntil('the lease has run out', fn (): bool => $this->own->value('SELECT count(*) FROM leases WHERE log_id IS NOT NULL AND expires_at > clock_timestamp()') === '0', 30);
        $this->command(['log:read', static::ROUTE, '--drain']);
    }

    /** What two tables add up to never changes at the source; a reader of the copy must not see it otherwise. */
    protected function assertWholeTransactions(string $seed): void
    {
        try {
            $sum = $this->house->value('SELECT (SELECT count(*) || \' \' || sum(amount) FROM (SELECT amount FROM l.paid UNION ALL SELECT amount FROM l.owed) x)');
        } catch (SystemTrouble) {
            return;
        }
        // The first load reads the tables one after the other, so that sums hold only once both are there.
        if ($this->own->value("SELECT count(*) FROM feeds WHERE name IN ('paid', 'owed') AND standing = 'carried'") === '2') {
            self::assertSame('100 50000', $sum, "a source transaction was seen in part {$seed}");
        }
    }

    protected function assertEveryLandingEqual(string $seed): void
    {
        $sum = static fn (Connection $at, string $from): ?string => $at->value('SELECT count(*) || \' \' || coalesce(sum(hashtextextended(ROW('.self::COLUMNS.")::text, 0)), 0) FROM {$from}");
        $source = $sum($this->gate, 'loads');
        foreach (['l.kept', 'l.marked WHERE deleted_at IS NULL', 'l.versions WHERE is_current', '('.self::replayed().') j'] as $copy) {
            self::assertSame([], $source === $sum($this->house, $copy) ? [] : $this->differing($copy), "{$copy} {$seed}");
        }
        foreach (['paid', 'owed'] as $table) {
            self::assertTrue($this->equal($table, "l.{$table}", 'grower, amount'), "{$table} {$seed}");
        }
        self::assertSame('0', $this->house->value("SELECT count(*) FROM (SELECT valid_from, valid_to, is_current, change_kind, lead(valid_from) OVER w AS next FROM l.versions WINDOW w AS (PARTITION BY id ORDER BY source_position)) v
            WHERE valid_to < valid_from OR (change_kind = 'delete' AND (is_current OR valid_to <> valid_from)) OR (change_kind <> 'delete' AND next IS NOT NULL AND valid_to <> greatest(valid_from, next))
               OR (change_kind <> 'delete' AND next IS NULL AND (NOT is_current OR valid_to IS NOT NULL))"), "versions of a key do not join {$seed}");
        self::assertSame('0', $this->house->value('SELECT count(*) FROM (SELECT 1 FROM l.journal GROUP BY id, source_position HAVING count(*) > 1) d'), "a change is in the journal twice {$seed}");
        foreach (self::FEEDS as $feed) {
            $this->assertReceiptsJoin($feed, $seed);
        }
    }

    /** @return list<string> what differs, a few rows of it with what the journal says of their keys */
    private function differing(string $copy): array
    {
        $rows = static fn (Connection $at, string $from): array => array_column($at->rows('SELECT id, ROW(ticket, gross, status, note, md5(big), updated_at)::text AS row FROM '.$from), 'row', 'id');
        $source = $rows($this->gate, 'loads');
        $there = $rows($this->house, $copy);
        $told = [];
        foreach (array_slice(array_keys(array_diff_assoc($source, $there) + array_diff_assoc($there, $source)), 0, 3) as $id) {
            $told[] = "{$id}: source ".($source[$id] ?? 'none').', copy '.($there[$id] ?? 'none').', journal '.$this->house->value("SELECT string_agg(concat_ws(' ', change_kind, source_position, gross, status, note, not_sent::text), '; ' ORDER BY source_position) FROM l.journal WHERE id = \$1 OR (row_before->>'id')::bigint = \$1", [$id])
                .', versions '.$this->house->value("SELECT string_agg(concat_ws(' ', change_kind, source_position, gross, status, note, valid_from, valid_to, is_current), '; ' ORDER BY source_position) FROM l.versions WHERE id = \$1", [$id]);
        }

        return $told;
    }

    /** The rows that follow from the journal alone: the last entry of each key, a moved key ended, values not sent taken from where they were sent last. */
    private static function replayed(): string
    {
        return "WITH RECURSIVE entry AS (SELECT *, coalesce((row_before->>'id')::bigint, id) AS old_id FROM l.journal),
            ended AS (SELECT id, source_position, change_kind FROM entry UNION ALL SELECT old_id, source_position, 'delete' FROM entry WHERE old_id <> id AND change_kind = 'update'),
            last AS (SELECT DISTINCT ON (id) id, source_position, change_kind FROM ended ORDER BY id, source_position DESC, change_kind DESC),
            live AS (SELECT e.* FROM last l JOIN entry e USING (id, source_position) WHERE l.change_kind <> 'delete'),
            sent AS (SELECT id, big, id AS at, old_id, source_position, 'big' = ANY (coalesce(not_sent, '{}')) AS missing FROM live
                UNION ALL
                SELECT s.id, p.big, p.id, p.old_id, p.source_position, 'big' = ANY (coalesce(p.not_sent, '{}'))
                FROM sent s CROSS JOIN LATERAL (SELECT * FROM entry e WHERE e.id = s.old_id AND e.source_position < s.source_position AND e.change_kind <> 'delete' ORDER BY e.source_position DESC LIMIT 1) p WHERE s.missing)
            SELECT live.id, ticket, gross, status, note, s.big, updated_at FROM live JOIN sent s ON s.id = live.id AND NOT s.missing";
    }
}
