<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Warehouse\Outcome;
use Lighterman\Connectors\Warehouse\Session;
use PgSql\Result;

/** A session that lands in PostgreSQL. */
final readonly class PostgresSession implements Session
{
    public function __construct(private Connection $connection)
    {
    }

    public function begin(): void
    {
        $this->connection->begin();
    }

    public function commit(): void
    {
        $this->connection->commit();
    }

    public function rollback(): void
    {
        $this->connection->rollback();
    }

    public function close(): void
    {
        $this->connection->close();
    }

    public function run(string ...$statements): void
    {
        foreach ($statements as $statement) {
            $this->connection->run($statement);
        }
    }

    public function outcome(string $statement): Outcome
    {
        return self::of($this->connection->run($statement));
    }

    public function send(array $statements): void
    {
        $this->connection->send(implode('; ', $statements));
    }

    public function collect(): array
    {
        return array_map(self::of(...), $this->connection->collect());
    }

    public function beginLoad(string $into, array $columns): void
    {
        $this->connection->copyBegin("{$into} (".Quoted::names($columns).')');
    }

    public function load(string $lines): void
    {
        $this->connection->copyPut($lines);
    }

    public function endLoad(): void
    {
        $this->connection->copyEnd();
    }

    /** @see https://www.postgresql.org/docs/15/monitoring-stats.html#MONITORING-STATS-FUNCTIONS-TABLE */
    public function arrivedIn(string $table): ?int
    {
        $rows = $this->connection->value("SELECT CASE WHEN relkind = 'r' AND current_setting('track_counts')::boolean THEN pg_stat_get_xact_tuples_inserted(oid) END FROM pg_class WHERE oid = to_regclass($1)", [$table]);

        return $rows === null ? null : (int) $rows;
    }

    private static function of(Result $result): Outcome
    {
        /** @var array<string, string|null> $row */
        $row = pg_num_rows($result) > 0 ? (pg_fetch_assoc($result, 0) ?: []) : [];

        return new Outcome(pg_affected_rows($result), $row);
    }
}
