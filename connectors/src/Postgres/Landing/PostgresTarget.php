<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Catalogue;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Guarantee\TargetCapabilities;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\KeptFiles;
use Lighterman\Core\Port\KeptTable;
use Lighterman\Core\Port\LandedHistory;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\Preparation;
use Lighterman\Core\Port\QueryResult;
use Lighterman\Core\Port\TargetSystem;
use Lighterman\Core\Shape\TableName;

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
        return new TargetCapabilities(transactional: true, noticesTampering: true);
    }

    public function prepare(LandedTable $landed): Preparation
    {
        return Preparation::together(array_map(fn (LandedTable $t): Preparation => (new Preparing($this->connection))->preparation($t), $landed->tables()));
    }

    public function prepareChange(LandedTable $landed, array $renamed): Preparation
    {
        $changes = array_map(fn (LandedTable $t, string $fork): Preparation => (new Preparing($this->connection))->change($t, $renamed[$fork] ?? []), $landed->tables(), array_keys($landed->tables()));
        $there = array_filter($changes, static fn (Preparation $p): bool => $p->exists);

        // A table that is not there yet is made when the feed next lands, not now.
        return Preparation::together(array_map(static fn (Preparation $p): Preparation => $p->exists || $there === [] ? $p : new Preparation(false, [], $p->findings), $changes));
    }

    public function explain(LandedTable $landed, array $row): string
    {
        $stamps = array_map(static fn (string $what): string => $what === 'delivered_at' ? '<the target\'s clock>' : '<the position of its batch>', array_keys($landed->as->stamps->wanted()));

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

    public function landing(Holder $holder): LandingSession
    {
        return new PostgresLanding(new Connection($this->settings, 'lighterman target', readOnly: false), $holder);
    }

    public function demandKept(LandedTable $landed, string $feed): void
    {
        (new Admission($this->connection, new Ledger($this->connection)))->demandSame($landed, $feed);
    }

    public function discard(string $feed): void
    {
        try {
            $this->connection->begin();
            $ledger = new Ledger($this->connection);
            foreach ($ledger->lines($feed) as $line) {
                $this->connection->run('DROP TABLE IF EXISTS '.SeenKeys::table($line));
            }
            foreach ($ledger->forget($feed) as $made) {
                $this->connection->run('DROP TABLE IF EXISTS '.Sql::table($made));
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

    public function files(TableName $table): ?KeptFiles
    {
        return null;
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

    public function query(string $sql, int $rowLimit, int $seconds, ?callable $stopped = null): QueryResult
    {
        return (new ReadOnlyQuery($this->settings))->run($sql, $rowLimit, $seconds, $stopped);
    }
}
