<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Server;

/**
 * How receipts are joined, in the SQL of PostgreSQL: in Lighterman's own database and in a target that is one, so that what is
 * joined on both sides is the same, whenever either does it.
 *
 * Joined are receipts of one run and one hour that follow each other. One with which records were set aside stays by itself, for
 * they are found by its number; so does one that moves nothing, which is how records are sent again.
 */
final class JoinedReceipts
{
    private const SUMMED = ['read', 'inserted', 'updated', 'unchanged', 'deleted', 'dropped', 'set_aside', 'bytes', 'superseded'];

    /**
     * @param  string  $table  with columns as receipts have them
     * @param  string  $feed  the column that names the feed
     * @param  string  $run  the column that names the run
     * @param  string  $which  SQL: those of which feeds
     * @param  string  $hours  SQL: how many hours ago they have landed at least; only whole hours are joined
     * @return string one statement
     */
    public static function statement(string $table, string $feed, string $run, string $which, string $hours): string
    {
        $sums = implode(', ', array_map(static fn (string $c): string => "sum({$c}) AS {$c}", self::SUMMED));
        $set = implode(', ', array_map(static fn (string $c): string => "{$c} = j.{$c}", [...self::SUMMED, 'from_position', 'checksum', 'first_sequence']));

        return <<<SQL
            WITH single AS (SELECT *, sequence - row_number() OVER (PARTITION BY {$feed}, {$run}, date_trunc('hour', landed_at, 'UTC') ORDER BY sequence) AS island
                    FROM {$table} WHERE {$which} AND landed_at < date_trunc('hour', now() - make_interval(hours => {$hours}), 'UTC') AND set_aside = 0 AND first_sequence IS NULL AND from_position <> to_position),
                j AS (SELECT {$feed} AS of_feed, min(sequence) AS first_sequence, max(sequence) AS last_sequence, (array_agg(from_position ORDER BY sequence))[1] AS from_position,
                        encode(sha256(convert_to(string_agg(checksum, ' ' ORDER BY sequence), 'UTF8')), 'hex') AS checksum, {$sums}
                    FROM single GROUP BY {$feed}, {$run}, date_trunc('hour', landed_at, 'UTC'), island HAVING count(*) > 1),
                gone AS (DELETE FROM {$table} r USING j WHERE r.{$feed} = j.of_feed AND r.sequence >= j.first_sequence AND r.sequence < j.last_sequence)
            UPDATE {$table} r SET {$set} FROM j WHERE r.{$feed} = j.of_feed AND r.sequence = j.last_sequence
            SQL;
    }
}
