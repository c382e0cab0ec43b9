<?php

declare(strict_types=1);

/** The weighbridge's own application, as far as its database sees it. */
final class Gate
{
    private ?PDO $desk = null;

    public function __construct(
        private readonly int $port,
        #[SensitiveParameter] private readonly string $password,
        #[SensitiveParameter] private readonly string $adminPassword,
        private readonly string $database,
    ) {
    }

    public function reconnect(): void
    {
        $this->desk = null;
    }

    /** One change of the kinds that happen all day, in the proportions of a harvest day. */
    public function something(): void
    {
        match (true) {
            ($die = random_int(1, 100)) <= 22 => $this->arrival(),
            $die <= 50 => $this->run("UPDATE loads SET tare_kg = round((2500 + random() * 3000)::numeric, 1), status = 'weighed', updated_at = now() WHERE load_id = (SELECT max(load_id) - floor(random() * 40) FROM loads)"),
            $die <= 80 => $this->run("UPDATE loads SET status = CASE status WHEN 'weighed' THEN 'sampled'::load_status WHEN 'sampled' THEN 'pressed' ELSE 'settled' END, updated_at = now() WHERE load_id = (SELECT max(load_id) - floor(random() * 400) FROM loads)"),
            $die <= 90 => $this->run("INSERT INTO gate_log (seen_at, plate, direction, lane) VALUES (now(), 'AM' || floor(10 + random() * 89) || ' QRX', 'i', 1 + floor(random() * 3))"),
            $die <= 94 => $this->run("UPDATE growers SET phone = '01632 960' || lpad(floor(random() * 1000)::text, 3, '0'), updated_at = now() WHERE grower_id = 1 + floor(random() * 1200)"),
            $die <= 96 => $this->run('UPDATE orchards SET hectares = round((0.4 + random() * 9)::numeric, 3), updated_at = now() WHERE orchard_id = 1 + floor(random() * 3400)'),
            $die <= 98 => $this->priceEdits(1),
            default => $this->voids(1),
        };
    }

    /** A transaction that stamps its rows at the start and commits them much later. */
    public function lateCommit(int $seconds = 40): string
    {
        $desk = $this->desk();
        $desk->beginTransaction();
        $ids = [$this->arrival(), $this->arrival(), $this->arrival()];
        sleep($seconds);
        $desk->commit();

        return 'Loads '.implode(', ', $ids)." were stamped {$seconds} s before they were committed.";
    }

    /** Many rows with the very same microsecond. */
    public function equalStamps(int $rows = 250): string
    {
        $ids = $this->desk()->query("WITH changed AS (UPDATE loads SET gross_kg = gross_kg + 0.1, updated_at = now() WHERE load_id IN (SELECT load_id FROM loads ORDER BY random() LIMIT {$rows}) RETURNING updated_at) SELECT count(*) || ' loads are stamped ' || min(updated_at) FROM changed")->fetchColumn();

        return "{$ids}.";
    }

    public function voids(int $rows = 20): string
    {
        $gone = $this->run("DELETE FROM loads WHERE load_id IN (SELECT load_id FROM loads WHERE status = 'arrived' ORDER BY random() LIMIT {$rows})");

        return "{$gone} loads were voided (deleted).";
    }

    public function priceEdits(int $rows = 12): string
    {
        $this->run("UPDATE price_bands SET price_per_tonne = round((110 + random() * 90)::numeric, 2), updated_at = CASE WHEN random() < 0.2 THEN NULL ELSE now() END WHERE band_id IN (SELECT band_id FROM price_bands ORDER BY random() LIMIT {$rows})");

        return "{$rows} prices were edited, some without a stamp.";
    }

    public function addColumn(): string
    {
        $this->run('ALTER TABLE loads ADD COLUMN IF NOT EXISTS moisture_pct numeric(4, 1)');

        return 'Column moisture_pct was added to loads.';
    }

    public function removeColumn(): string
    {
        $this->run('ALTER TABLE loads DROP COLUMN IF EXISTS moisture_pct');

        return 'Column moisture_pct was removed from loads.';
    }

    /** The database admits nobody for a while. */
    public function outage(int $seconds = 60): string
    {
        $admin = $this->connect('lighterman', $this->adminPassword, 'postgres');
        $admin->exec("ALTER DATABASE {$this->database} WITH ALLOW_CONNECTIONS false");
        $admin->exec("SELECT pg_terminate_backend(pid) FROM pg_stat_activity WHERE datname = '{$this->database}'");
        sleep($seconds);
        $admin->exec("ALTER DATABASE {$this->database} WITH ALLOW_CONNECTIONS true");

        return "The weighbridge was out for {$seconds} s.";
    }

    private function arrival(): int
    {
        return (int) $this->desk()->query("INSERT INTO loads (ticket, grower_id, orchard_id, variety_code, gross_kg, arrived_at, updated_at)
            SELECT 'N' || to_char(clock_timestamp(), 'YYMMDDHH24MISSUS'), 1 + floor(random() * 1200), 1 + floor(random() * 3400), 'V' || lpad(floor(random() * 60)::text, 2, '0'), round((3000 + random() * 24000)::numeric, 1), now(), now()
            RETURNING load_id")->fetchColumn();
    }

    private function run(string $sql): int
    {
        return (int) $this->desk()->exec($sql);
    }

    private function desk(): PDO
    {
        return $this->desk ??= $this->connect('gate_desk', $this->password, $this->database);
    }

    private function connect(string $user, #[SensitiveParameter] string $password, string $database): PDO
    {
        return new PDO("pgsql:host=127.0.0.1;port={$this->port};dbname={$database};application_name=gate", $user, $password, [PDO::ATTR_ERRMODE => PDO::ERRMODE_EXCEPTION]);
    }
}
