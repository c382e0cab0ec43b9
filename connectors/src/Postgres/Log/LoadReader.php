<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Log;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\PostgresSpelling;
use Lighterman\Connectors\Reading\Conditions;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Port\LoadChunk;

/** Reads chunks of a table for loads that go on beside its changes. */
final readonly class LoadReader
{
    public function __construct(private Connection $connection)
    {
    }

    public function chunk(FeedDefinition $definition, Slice $slice, int $rows): LoadChunk
    {
        $conditions = new Conditions(new PostgresSpelling, $definition);
        $this->connection->run('BEGIN ISOLATION LEVEL REPEATABLE READ READ ONLY');
        try {
            $seen = $this->connection->row('SELECT pg_current_snapshot()::text AS snapshot, (extract(epoch FROM clock_timestamp()) * 1000000)::bigint AS at') ?? [];
            $result = $this->connection->run($conditions->select().$conditions->slice($slice).' ORDER BY '.$conditions->names($definition->origin->key).' LIMIT '.($rows + 1));
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

        [$found, $last] = LoadChunk::cut($found, $rows, KeyOf::columns($definition->carried()->names(), $definition->origin->key)->places, $definition);

        return new LoadChunk($found, $last, $unseen, (int) $next & 0xFFFFFFFF, (int) ($seen['at'] ?? 0), $bytes);
    }

    /**
     * @param  list<string>  $reached
     * @param  list<list<string>>  $keys
     * @return list<bool>
     */
    public function passed(FeedDefinition $definition, array $reached, array $keys): array
    {
        $conditions = new Conditions(new PostgresSpelling, $definition);
        $passed = array_fill(0, count($keys), false);
        foreach (array_chunk($keys, 500, true) as $some) {
            foreach ($this->connection->rows($conditions->passed($reached, $some)) as $row) {
                $passed[(int) $row['lm_number']] = true;
            }
        }

        return array_values($passed);
    }

    public function clock(): ClockOffset
    {
        $asked = SteadyClock::micros();
        $theirs = (int) $this->connection->value('SELECT (extract(epoch FROM clock_timestamp()) * 1000000)::bigint');

        return ClockOffset::between($asked, $theirs, SteadyClock::micros());
    }
}
