<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres;

use Lighterman\Core\Port\QueryResult;

/** Runs a person's statement in a read-only transaction of its own session, within time and row limits. */
final readonly class ReadOnlyQuery
{
    private const NUMERIC = ['int2', 'int4', 'int8', 'numeric', 'float4', 'float8', 'money', 'oid'];

    public function __construct(private PostgresSettings $settings)
    {
    }

    public function run(string $sql, int $rowLimit, int $seconds): QueryResult
    {
        $connection = new Connection($this->settings, 'lighterman query', readOnly: true);
        $started = microtime(true);
        try {
            $connection->run('BEGIN TRANSACTION READ ONLY');
            $connection->run('SET LOCAL statement_timeout = '.($seconds * 1000));
            // Sent with the extended protocol, which takes exactly one statement: nothing can end this transaction and begin another.
            $connection->run('DECLARE box NO SCROLL CURSOR FOR '.rtrim(trim($sql), ';'), [], single: true);
            $result = $connection->run('FETCH '.($rowLimit + 1).' FROM box');
            $columns = [];
            for ($i = 0; $i < pg_num_fields($result); $i++) {
                $columns[] = ['name' => pg_field_name($result, $i), 'numeric' => in_array(pg_field_type($result, $i), self::NUMERIC, true)];
            }
            $rows = [];
            while (count($rows) <= $rowLimit && ($row = pg_fetch_row($result)) !== false) {
                $rows[] = array_values($row);
            }

            return new QueryResult($columns, array_slice($rows, 0, $rowLimit), count($rows) > $rowLimit, microtime(true) - $started);
        } finally {
            $connection->rollback();
            $connection->close();
        }
    }
}
