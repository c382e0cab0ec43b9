<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Log;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Core\Port\Slots;

/** The replication slots of ours in a database, whoever made them: one that nobody reads makes the server keep its log for ever. */
final readonly class SlotBook implements Slots
{
    /** Slots of ours begin with this, so that those nobody reads any more can be found. */
    public const PREFIX = 'lighterman_';

    private Connection $connection;

    public function __construct(PostgresSettings $settings)
    {
        $this->connection = new Connection($settings, 'lighterman log set-up', readOnly: false);
    }

    /** @return list<array{name: string, active: bool, retained: int, lost: bool}> retained in bytes */
    public function all(): array
    {
        return array_map(static fn (array $r): array => ['name' => (string) $r['slot_name'], 'active' => $r['active'] === 't', 'retained' => (int) $r['retained'], 'lost' => $r['lost'] === 't'], $this->connection->rows(
            "SELECT slot_name, active, coalesce(CASE WHEN pg_is_in_recovery() THEN 0 ELSE pg_current_wal_lsn() - restart_lsn END, 0)::bigint AS retained, wal_status = 'lost' AS lost
             FROM pg_replication_slots WHERE database = current_database() AND slot_type = 'logical' AND starts_with(slot_name, $1) ORDER BY slot_name", [self::PREFIX]));
    }

    public function drop(string $slot): void
    {
        $pid = $this->connection->value('SELECT active_pid FROM pg_replication_slots WHERE slot_name = $1 AND active_pid IS NOT NULL', [$slot]);
        if ($pid !== null) {
            $this->connection->run('SELECT pg_terminate_backend($1::int, 5000)', [$pid]);
        }
        $this->connection->run('SELECT pg_drop_replication_slot(slot_name) FROM pg_replication_slots WHERE slot_name = $1', [$slot]);
    }
}
