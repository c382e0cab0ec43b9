<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Catalogue;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Connectors\Warehouse\Warehouse;
use Lighterman\Connectors\Warehouse\WarehouseTarget;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Port\KeptTable;
use Lighterman\Core\Port\LandedHistory;
use Lighterman\Core\Shape\TableName;

/** A PostgreSQL database that rows are landed in. */
final class PostgresTarget extends WarehouseTarget
{
    private readonly Connection $connection;

    public function __construct(private readonly PostgresSettings $settings)
    {
        $this->connection = new Connection($settings, 'lighterman target', readOnly: false);
        parent::__construct(self::over($this->connection));
    }

    protected function another(): Warehouse
    {
        return self::over(new Connection($this->settings, 'lighterman target', readOnly: false));
    }

    private static function over(Connection $connection): Warehouse
    {
        return new Warehouse($connection->settings->system, $connection->settings->user, new PostgresSession($connection), new PostgresDialect, new PostgresDefinitions, new PostgresTables($connection), new PostgresLedger($connection));
    }

    public function check(): array
    {
        return (new TargetChecks($this->connection))->findings();
    }

    public function row(TableName $table, array $key): ?array
    {
        return (new Catalogue($this->connection))->rowByKey($table, $key);
    }

    public function kept(): array
    {
        $kept = [];
        foreach ($this->connection->rows("SELECT format('%s.%s', n.nspname, c.relname) AS name, CASE WHEN c.reltuples < 0 THEN NULL ELSE c.reltuples::bigint END AS rows, pg_total_relation_size(c.oid) AS bytes FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.relkind = 'r' AND n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname !~ '^pg_(toast|temp)'") as $table) {
            $kept[(string) $table['name']] = new KeptTable($table['rows'] === null ? null : (int) $table['rows'], false, (int) $table['bytes'], null);
        }

        return $kept;
    }

    public function history(LandedTable $landed, array $key, int $most): LandedHistory
    {
        return (new History($this->connection))->of($landed, $key, $most);
    }
}
