<?php

declare(strict_types=1);

namespace App\Runtime\Common;

use App\Models\Receipt as Line;
use App\Models\TakenFile;
use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\Postgres\Server\JoinedReceipts;
use Lighterman\Core\Capture\Kind\Kinds;
use Lighterman\Core\Record\Receipt;

/** Copies receipts of a target into Lighterman's own database, with everything that is counted by them. */
final class Receipts
{
    private const AT_ONCE = 500;

    /**
     * Moves the feeds' own copies of their positions along with them. Repeating it changes nothing, not even a count.
     *
     * @param  list<array{int, Receipt}>  $receipts  with the number of the feed, in the order of landing
     */
    public static function copy(array $receipts): void
    {
        if ($receipts === []) {
            return;
        }
        $latest = [];
        foreach ($receipts as [$feedId, $receipt]) {
            TakenFile::copy($feedId, $receipt);
            $latest[$feedId] = ['id' => $feedId, 'position' => $receipt->to->toArray(), 'sequence' => $receipt->sequence, 'landed' => $receipt->landedAt];
        }
        foreach (array_chunk($receipts, self::AT_ONCE) as $some) {
            self::insert(array_map(static fn (array $pair): array => Line::line(...$pair), $some));
        }
        DB::update('UPDATE feeds f SET position = r.position, sequence = r.sequence, last_landed_at = r.landed FROM jsonb_to_recordset(?::jsonb) r(id bigint, position jsonb, sequence bigint, landed timestamptz) WHERE f.id = r.id AND f.sequence < r.sequence', [json_encode(array_values($latest), JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE)]);
    }

    /**
     * Takes out what tells of deliveries after one, where the target stands at that one again. A line that stands for several goes
     * whole, and those of them that the target still has are copied once more.
     *
     * @return int the number of the last that is left
     */
    public static function takeBack(int $feedId, int $sequence): int
    {
        $first = DB::table('receipts')->where('feed_id', $feedId)->where('sequence', '>', $sequence)->min('first_sequence');
        $sequence = $first === null ? $sequence : min($sequence, (int) $first - 1);
        $counted = 'sum('.Line::carried().')';
        [$summed, $taken] = [self::each('sum(%1$s) AS %1$s'), self::each('%1$s = r.%1$s - s.%1$s')];
        DB::transaction(static function () use ($feedId, $sequence, $counted, $summed, $taken): void {
            DB::update("WITH gone AS (DELETE FROM receipts WHERE feed_id = ? AND sequence > ? RETURNING *),
                    runs AS (UPDATE runs r SET batches = r.batches - s.n, {$taken} FROM (SELECT run_id, feed_id, sum(sequence - coalesce(first_sequence, sequence) + 1) AS n, {$summed} FROM gone GROUP BY 1, 2) s WHERE r.id = s.run_id AND r.feed_id = s.feed_id),
                    hours AS (SELECT feed_id, date_trunc('hour', landed_at) AS hour, {$counted} AS rows, sum(set_aside) AS set_aside FROM gone r JOIN feeds f ON f.id = feed_id GROUP BY 1, 2)
                UPDATE carried_hours c SET rows = c.rows - h.rows, set_aside = c.set_aside - h.set_aside FROM hours h WHERE c.feed_id = h.feed_id AND c.hour = h.hour", [$feedId, $sequence]);
            DB::table('taken_files')->where('feed_id', $feedId)->where('sequence', '>', $sequence)->delete();
            DB::table('feeds')->where('id', $feedId)->update(['sequence' => $sequence]);
        });

        return $sequence;
    }

    /**
     * Receipts of the target that came after the last one copied, as they can be copied. Where the target has joined some while our
     * own database stood at an earlier one, what we have of those is taken out.
     *
     * @param  list<Receipt>  $receipts
     */
    public static function makeRoom(int $feedId, int $copied, array $receipts): void
    {
        $first = $receipts === [] ? null : $receipts[0]->first;
        if ($first !== null && $first <= $copied) {
            self::takeBack($feedId, $first - 1);
        }
    }

    /** Joins old receipts of streams, which bring several a second. */
    public static function join(): void
    {
        DB::update(JoinedReceipts::statement('receipts', 'feed_id', 'run_id', 'feed_id IN (SELECT id FROM feeds WHERE capture IN ('.Kinds::streamsInSql().'))', (string) (int) config('lighterman.keep.single_receipts_hours')));
    }

    /** Adds to a run what its receipts do not tell. */
    public static function spent(int $run, float $readingMs, float $treatingMs, float $landingMs, int $warned): void
    {
        DB::update('UPDATE runs SET reading_ms = reading_ms + ?, treating_ms = treating_ms + ?, landing_ms = landing_ms + ?, warned = warned + ? WHERE id = ?', [$readingMs, $treatingMs, $landingMs, $warned, $run]);
    }

    /** The counts that a run has of its receipts, each in a piece of SQL. */
    private static function each(string $as): string
    {
        return implode(', ', array_map(static fn (string $c): string => sprintf($as, $c), ['read', 'inserted', 'updated', 'unchanged', 'deleted', 'dropped', 'set_aside', 'superseded', 'bytes']));
    }

    /**
     * What is counted of a receipt is counted as it comes in, so that one that is there already counts for nothing.
     *
     * @param  list<array<string, mixed>>  $lines
     */
    private static function insert(array $lines): void
    {
        $counted = 'sum('.Line::carried().')';
        [$summed, $added] = [self::each('sum(%1$s) AS %1$s'), self::each('%1$s = r.%1$s + s.%1$s')];
        $columns = implode(', ', array_keys($lines[0]));
        DB::insert("WITH new AS (INSERT INTO receipts ({$columns}) SELECT {$columns} FROM jsonb_populate_recordset(NULL::receipts, ?::jsonb) r WHERE EXISTS (SELECT 1 FROM feeds f WHERE f.id = r.feed_id)
                ON CONFLICT DO NOTHING RETURNING *),
            counted AS (UPDATE runs r SET batches = r.batches + s.n, {$added} FROM (SELECT run_id, feed_id, sum(sequence - coalesce(first_sequence, sequence) + 1) AS n, {$summed} FROM new GROUP BY 1, 2) s WHERE r.id = s.run_id AND r.feed_id = s.feed_id)
            INSERT INTO carried_hours AS c (feed_id, hour, rows, set_aside) SELECT feed_id, date_trunc('hour', landed_at), {$counted}, sum(set_aside) FROM new r JOIN feeds f ON f.id = feed_id GROUP BY 1, 2
            ON CONFLICT (feed_id, hour) DO UPDATE SET rows = c.rows + excluded.rows, set_aside = c.set_aside + excluded.set_aside", [json_encode($lines, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE)]);
    }
}
