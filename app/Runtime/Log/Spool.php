<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use Illuminate\Support\Facades\DB;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Port\SystemTrouble;

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

    /** First byte of a body that is encrypted. */
    private const SEALED = "\x01";

    private const ROWS = 500;

    private const BYTES = 4 << 20;

    /** @var list<array{int, int, int, int, int, string}> */
    private array $rows = [];

    private int $bytes = 0;

    /** @param  list<array<string, mixed>>  $entries as Carrier::entry() makes them */
    public function add(int $feedId, SourceCommit $commit, int $part, array $entries): void
    {
        $body = self::sealed((string) gzcompress(serialize($entries), 1));
        $this->rows[] = [$feedId, $commit->lsn, $part, $commit->at, count($entries), bin2hex($body)];
        $this->bytes += strlen($body);
        if (count($this->rows) >= self::ROWS || $this->bytes >= self::BYTES) {
            $this->flush();
        }
    }

    /** Makes durable what was added. The source may not be told to forget it before. */
    public function flush(): void
    {
        if ($this->rows === []) {
            return;
        }
        $places = implode(', ', array_fill(0, count($this->rows), "(?, ?, ?, ?, ?, decode(?, 'hex'))"));
        DB::insert("INSERT INTO spool (feed_id, lsn, part, committed_at, changes, body) SELECT r.feed_id::bigint, r.lsn::bigint, r.part::int, r.committed_at::bigint, r.changes::int, r.body FROM (VALUES {$places}) r(feed_id, lsn, part, committed_at, changes, body)
            WHERE EXISTS (SELECT 1 FROM feeds f WHERE f.id = r.feed_id::bigint) ON CONFLICT DO NOTHING", array_merge(...$this->rows));
        $this->rows = [];
        $this->bytes = 0;
    }

    /**
     * What is kept for a feed, in order, part by part.
     *
     * @return iterable<array{SourceCommit, list<array<string, mixed>>}>
     */
    public static function rows(int $feedId, int $after): iterable
    {
        $part = PHP_INT_MAX >> 33;
        do {
            $rows = DB::select("SELECT lsn, part, committed_at, encode(body, 'hex') AS body FROM spool WHERE feed_id = ? AND (lsn, part) > (?, ?) ORDER BY lsn, part LIMIT 100", [$feedId, $after, $part]);
            foreach ($rows as $row) {
                [$after, $part] = [(int) $row->lsn, (int) $row->part];
                yield [new SourceCommit($after, (int) $row->committed_at), unserialize((string) gzuncompress(self::opened((string) hex2bin($row->body))), ['allowed_classes' => false])];
            }
        } while ($rows !== []);
    }

    /** The changes are as the source has them, with all that a mask will hide. */
    private static function sealed(string $body): string
    {
        $nonce = random_bytes(SODIUM_CRYPTO_SECRETBOX_NONCEBYTES);

        return self::SEALED.$nonce.sodium_crypto_secretbox($body, $nonce, self::key());
    }

    private static function opened(string $body): string
    {
        // What was put in before bodies were sealed begins as zlib does.
        if ($body[0] !== self::SEALED) {
            return $body;
        }
        $nonce = substr($body, 1, SODIUM_CRYPTO_SECRETBOX_NONCEBYTES);
        $opened = sodium_crypto_secretbox_open(substr($body, 1 + SODIUM_CRYPTO_SECRETBOX_NONCEBYTES), $nonce, self::key());

        return $opened === false ? throw SystemTrouble::lasting('spool_sealed', 'Changes in the spool cannot be opened: they were sealed with another application key.', 'Restore the application key under which they were written.') : $opened;
    }

    private static function key(): string
    {
        return hash('sha256', 'spool'.config('app.key'), true);
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
