<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Log;

use Lighterman\Connectors\Postgres\Connection;
use Lighterman\Connectors\Postgres\PostgresSpelling;
use Lighterman\Connectors\Reading\Conditions;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Port\LoadChunk;

/** Reads chunks of a table for loads that go on beside its changes. */
final readonly class LoadReader
{
    public function __construct(private Connection $connection)
    {
    }

    /**
     * @param  list<string>|null  $after
     * @param  list<string>|null  $until
     */
    public function chunk(FeedDefinition $definition, ?array $after, ?array $until, int $rows): LoadChunk
    {
        $conditions = new Conditions(new PostgresSpelling, $definition);
        $this->connection->run('BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY');
        try {
            $seen = $this->connection->row('SELECT pg_current_snapshot()::text AS snapshot, (extract(epoch FROM clock_timestamp()) * 1000000)::bigint AS at') ?? [];
            $result = $this->connection->run($conditions->select().$conditions->chunk($after, $until).' ORDER BY '.$conditions->names($definition->key)." LIMIT {$rows}");
            $found = [];
            $bytes = 0;
            while ($row = pg_fetch_row($result)) {
                $found[] = array_values($row);
                foreach ($row as $value) {
                    $bytes += strlen((string) $value);
                }
            }
            pg_free_result($result);
            $this->connection->commit();
        } finally {
            $this->connection->rollback();
        }
        [, $next, $open] = explode(':', (string) ($seen['snapshot'] ?? '0:0:'));
        $unseen = $open === '' ? [] : array_map(static fn (string $x): int => (int) $x & 0xFFFFFFFF, explode(',', $open));

        return new LoadChunk($found, count($found) < $rows, $unseen, (int) $next & 0xFFFFFFFF, (int) ($seen['at'] ?? 0), $bytes);
    }

    public function clock(): ClockOffset
    {
        $asked = (int) (microtime(true) * 1e6);
        $theirs = (int) $this->connection->value('SELECT (extract(epoch FROM clock_timestamp()) * 1000000)::bigint');

        return ClockOffset::between($asked, $theirs, (int) (microtime(true) * 1e6));
    }
}
