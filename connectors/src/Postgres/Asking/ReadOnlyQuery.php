<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Asking;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Connectors\Postgres\Server\TypeMap;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Port\QueryResult;
use Lighterman\Core\Trouble\QueryTrouble;

/** Runs a person's statement in a read-only transaction of its own session, within time and row limits. */
final readonly class ReadOnlyQuery
{
    public function __construct(private PostgresSettings $settings)
    {
    }

    /** @param  (callable(): bool)|null  $stopped  asked again and again: whether somebody wants it stopped */
    public function run(string $sql, int $rowLimit, int $seconds, ?callable $stopped = null): QueryResult
    {
        $connection = new Connection($this->settings, 'lighterman query', readOnly: true);
        $started = SteadyClock::seconds();
        try {
            $connection->run('BEGIN TRANSACTION READ ONLY');
            $connection->run('SET LOCAL statement_timeout = '.($seconds * 1000));
            $connection->run('SET LOCAL search_path = '.AskedStatement::PATH);
            // Sent with the extended protocol, which takes exactly one statement: nothing can end this transaction and begin another.
            $connection->run("DECLARE box NO SCROLL CURSOR FOR {$sql}", [], single: true);
            $connection->send('FETCH '.($rowLimit + 1).' FROM box');
            if ($stopped !== null && ! $connection->waited($stopped)) {
                throw QueryTrouble::stopped();
            }
            $result = $connection->collect()[0];
            $columns = [];
            for ($i = 0; $i < pg_num_fields($result); $i++) {
                $type = TypeMap::named(pg_field_type($result, $i));
                $columns[] = ['name' => pg_field_name($result, $i), 'type' => (string) $type, 'numeric' => $type->kind->isNumeric()];
            }
            $rows = [];
            while (count($rows) <= $rowLimit && ($row = pg_fetch_row($result)) !== false) {
                $rows[] = array_values($row);
            }

            return new QueryResult($columns, array_slice($rows, 0, $rowLimit), count($rows) > $rowLimit, SteadyClock::seconds() - $started);
        } finally {
            $connection->rollback();
            $connection->close();
        }
    }
}
