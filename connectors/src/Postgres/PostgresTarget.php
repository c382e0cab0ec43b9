<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres;

use Lighterman\Connectors\Postgres\Log\PostgresChangeLanding;
use Lighterman\Connectors\Postgres\Log\SeenKeys;
use Lighterman\Core\Definition\LandedTable;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Guarantee\TargetCapabilities;
use Lighterman\Core\Port\ChangeLanding;
use Lighterman\Core\Port\LandedHistory;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\Preparation;
use Lighterman\Core\Port\QueryResult;
use Lighterman\Core\Port\SystemTrouble;
use Lighterman\Core\Port\TableName;
use Lighterman\Core\Port\TargetSystem;

/** A PostgreSQL database that rows are landed in. */
final class PostgresTarget implements TargetSystem
{
    private readonly Connection $connection;

    public function __construct(private readonly PostgresSettings $settings)
    {
        $this->connection = new Connection($settings, 'lighterman target', readOnly: false);
    }

    public function check(): array
    {
        return (new TargetChecks($this->connection))->findings();
    }

    public function capabilities(): TargetCapabilities
    {
        return new TargetCapabilities(transactional: true);
    }

    public function prepare(LandedTable $landed): Preparation
    {
        return (new Preparing($this->connection))->preparation($landed);
    }

    public function prepareChange(LandedTable $landed, array $renamed): Preparation
    {
        return (new Preparing($this->connection))->change($landed, $renamed);
    }

    public function explain(LandedTable $landed, array $row): string
    {
        $stamps = array_map(static fn (string $what): string => $what === 'delivered_at' ? '<the target\'s clock>' : '<the position of its batch>', array_keys($landed->stamps));

        return (new Writer($this->connection, $landed))->explained(CopyText::line([...$row, ...$stamps]));
    }

    public function alter(array $statements): void
    {
        try {
            $this->connection->begin();
            // Somebody's long query must not have all of the feed's later ones wait behind this.
            $this->connection->run("SET LOCAL lock_timeout = '10s'");
            foreach ($statements as $statement) {
                $this->connection->run($statement);
            }
            $this->connection->commit();
        } finally {
            $this->connection->rollback();
        }
    }

    public function open(LandedTable $landed, string $feed, int $token): LandingSession
    {
        $ledger = new Ledger($this->connection);
        try {
            $this->connection->begin();
            // Workers that open two feeds of the same new schema at once must not both create it.
            $this->connection->run("SELECT pg_advisory_xact_lock(hashtext('lighterman ledger'))");
            $preparation = $this->prepare($landed);
            foreach ($preparation->obstacles() as $obstacle) {
                throw SystemTrouble::lasting('incompatible_table', "{$this->settings->system}: {$obstacle->said}", (string) $obstacle->remedy);
            }
            $ledger->ensure();
            $position = $ledger->claim($feed, $token, $landed->name, created: ! $preparation->exists);
            foreach ($preparation->statements as $statement) {
                $this->connection->run($statement);
            }
            $this->connection->commit();
        } finally {
            $this->connection->rollback();
        }

        return new PostgresLanding($this->connection, $ledger, $landed, $feed, $token, $position);
    }

    public function openChanges(string $route, int $token): ChangeLanding
    {
        return new PostgresChangeLanding(new Connection($this->settings, 'lighterman target', readOnly: false), $route, $token);
    }

    public function discard(LandedTable $landed, string $feed): void
    {
        try {
            $this->connection->begin();
            $ledger = new Ledger($this->connection);
            $this->connection->run('DROP TABLE IF EXISTS '.SeenKeys::table($feed));
            if ($ledger->forget($feed)) {
                $this->connection->run('DROP TABLE IF EXISTS '.Sql::table($landed->name));
            }
            $this->connection->commit();
        } finally {
            $this->connection->rollback();
        }
    }

    public function count(TableName $table): int
    {
        return (int) $this->connection->value('SELECT count(*) FROM '.Sql::table($table));
    }

    public function row(TableName $table, array $key): ?array
    {
        return Sql::rowByKey($this->connection, $table, $key);
    }

    public function history(LandedTable $landed, array $key, int $most): LandedHistory
    {
        return (new History($this->connection))->of($landed, $key, $most);
    }

    public function query(string $sql, int $rowLimit, int $seconds): QueryResult
    {
        return (new ReadOnlyQuery($this->settings))->run($sql, $rowLimit, $seconds);
    }
}
