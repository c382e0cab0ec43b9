<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use Illuminate\Support\Facades\DB;
use Lighterman\Core\Landing\SourceCommit;

/**
 * Keeps, in Lighterman's own database, the changes of feeds that cannot be landed for the time being, so that the source
 * need not keep its log for them.
 *
 * A row holds up to PART changes of one source transaction. Parts are cut the same way every time a transaction is read,
 * so writing one again changes nothing.
 */
final class Spool
{
    public const PART = 1000;

    /** @param  list<array<string, mixed>>  $entries as Carrier::entry() makes them */
    public static function write(int $feedId, SourceCommit $commit, int $part, array $entries): void
    {
        $body = gzcompress(serialize($entries), 1);
        DB::insert('INSERT INTO spool (feed_id, lsn, part, committed_at, changes, body) VALUES (?, ?, ?, ?, ?, decode(?, \'hex\')) ON CONFLICT DO NOTHING', [$feedId, $commit->lsn, $part, $commit->at, count($entries), bin2hex((string) $body)]);
    }

    /**
     * The oldest transaction kept for a feed, part by part.
     *
     * @return iterable<array{SourceCommit, list<array<string, mixed>>}>
     */
    public static function oldest(int $feedId, int $after): iterable
    {
        $lsn = DB::table('spool')->where('feed_id', $feedId)->where('lsn', '>', $after)->min('lsn');
        for ($part = 0; $lsn !== null; $part++) {
            $row = DB::selectOne("SELECT committed_at, encode(body, 'hex') AS body FROM spool WHERE feed_id = ? AND lsn = ? AND part = ?", [$feedId, $lsn, $part]);
            if ($row === null) {
                return;
            }
            yield [new SourceCommit((int) $lsn, (int) $row->committed_at), unserialize((string) gzuncompress((string) hex2bin($row->body)), ['allowed_classes' => false])];
        }
    }

    /** Forgets what has landed. */
    public static function landed(int $feedId, int $to): void
    {
        DB::delete('DELETE FROM spool WHERE feed_id = ? AND lsn <= ?', [$feedId, $to]);
    }

    public static function waiting(int $feedId): int
    {
        return (int) DB::table('spool')->where('feed_id', $feedId)->sum('changes');
    }
}
