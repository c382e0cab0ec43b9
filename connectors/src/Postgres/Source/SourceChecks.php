<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Source;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Reach;
use Lighterman\Core\Port\Finding;

/** Tests a PostgreSQL database as a source. */
final readonly class SourceChecks
{
    public function __construct(private Connection $connection)
    {
    }

    /** @return list<Finding> */
    public function findings(): array
    {
        $reach = Reach::findings($this->connection);
        if (array_filter($reach, static fn (Finding $f): bool => $f->result === 'failed')) {
            return $reach;
        }

        return [...$reach, $this->schemas(), $this->openTransactions(), $this->logLevel()];
    }

    private function schemas(): Finding
    {
        $rows = $this->connection->rows(<<<'SQL'
            SELECT n.nspname AS schema, count(*) AS tables, count(*) FILTER (WHERE has_schema_privilege(n.oid, 'USAGE') AND has_table_privilege(c.oid, 'SELECT')) AS readable
            FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
            WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND NOT c.relispartition
              AND n.nspname NOT IN ('pg_catalog', 'information_schema', 'lighterman') AND n.nspname !~ '^pg_(toast|temp)'
            GROUP BY 1 ORDER BY 1
            SQL);
        if ($rows === []) {
            return Finding::warned('Reading', 'The database holds no table.', 'Check that this is the right database.');
        }
        $said = implode(', ', array_map(static fn (array $r): string => "{$r['schema']}: {$r['readable']} of {$r['tables']}", $rows));
        $short = array_filter($rows, static fn (array $r): bool => $r['readable'] !== $r['tables']);
        if ($short === []) {
            return Finding::passed('Reading', "All tables may be read ({$said}).");
        }
        $user = Quoted::name($this->connection->settings->user);
        $schema = Quoted::name((string) array_values($short)[0]['schema']);
        $remedy = "GRANT USAGE ON SCHEMA {$schema} TO {$user}; GRANT SELECT ON ALL TABLES IN SCHEMA {$schema} TO {$user};";

        return array_sum(array_column($rows, 'readable')) === 0
            ? Finding::failed('Reading', "No table may be read ({$said}).", $remedy)
            : Finding::warned('Reading', "Some tables may not be read ({$said}).", $remedy);
    }

    private function openTransactions(): Finding
    {
        return $this->connection->value("SELECT pg_has_role('pg_read_all_stats', 'USAGE')") === 't'
            ? Finding::passed('Open transactions', 'Their start can be seen, so rows committed late are not missed.')
            : Finding::warned('Open transactions', 'The start of other users\' transactions cannot be seen, so rows committed late may be missed.', 'GRANT pg_read_all_stats TO '.Quoted::name($this->connection->settings->user).'; or set an overlap on each feed.');
    }

    private function logLevel(): Finding
    {
        $level = (string) $this->connection->value('SHOW wal_level');
        $replicates = $this->connection->value('SELECT rolreplication OR rolsuper FROM pg_roles WHERE rolname = current_user') === 't';

        return match (true) {
            $level !== 'logical' => Finding::warned('Change log', "wal_level is {$level}: the change log cannot be read. Watermarks and reloads are not affected.", 'ALTER SYSTEM SET wal_level = logical; then restart the server.'),
            ! $replicates => Finding::warned('Change log', 'wal_level is logical, but the account may not replicate. Watermarks and reloads are not affected.', 'ALTER ROLE '.Quoted::name($this->connection->settings->user).' REPLICATION;'),
            default => Finding::passed('Change log', 'wal_level is logical and the account may replicate.'),
        };
    }
}
