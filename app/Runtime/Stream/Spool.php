<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use App\Models\RouteLog;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Carrying\SpooledChange;
use Lighterman\Core\Carrying\SpoolParts;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Trouble\StreamTrouble;

/**
 * Keeps, in Lighterman's own database, the changes of feeds that cannot be landed for the time being, so that the source
 * need not keep its log for them.
 *
 * A row holds up to SpoolParts::SIZE changes of one source transaction. Parts are cut the same way every time a transaction is read,
 * so writing one again changes nothing.
 */
final class Spool
{
    /** First byte of a body that is encrypted. */
    private const SEALED = "\x01";

    private const ROWS = 500;

    private const BYTES = 4 << 20;

    /** @var list<array{int, string, int, int, int, string, int}> */
    private array $rows = [];

    private int $bytes = 0;

    /** @param  list<SpooledChange>  $changes */
    public function add(int $feedId, SourceCommit $commit, int $part, array $changes): void
    {
        $body = self::sealed((string) gzcompress(serialize(array_map(static fn (SpooledChange $c): array => $c->toArray(), $changes)), 1));
        $this->rows[] = [$feedId, $commit->place->text(), $part, $commit->at, count($changes), bin2hex($body), count($this->rows)];
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
        $places = implode(', ', array_fill(0, count($this->rows), "(?, ?, ?, ?, ?, decode(?, 'hex'), ?)"));
        DB::insert("INSERT INTO spool (feed_id, place, part, committed_at, changes, body) SELECT r.feed_id::bigint, r.place, r.part::int, r.committed_at::bigint, r.changes::int, r.body FROM (VALUES {$places}) r(feed_id, place, part, committed_at, changes, body, n)
            WHERE EXISTS (SELECT 1 FROM feeds f WHERE f.id = r.feed_id::bigint) ORDER BY r.n::int ON CONFLICT DO NOTHING", array_merge(...$this->rows));
        $this->rows = [];
        $this->bytes = 0;
    }

    /**
     * What is kept for a feed, in order, part by part.
     *
     * @return iterable<int, array{SourceCommit, list<SpooledChange>}> by the number of the row
     */
    public static function rows(int $feedId, ChangeLog $changeLog): iterable
    {
        $after = 0;
        do {
            $rows = DB::select("SELECT id, place, committed_at, encode(body, 'hex') AS body FROM spool WHERE feed_id = ? AND id > ? ORDER BY id LIMIT 100", [$feedId, $after]);
            foreach ($rows as $row) {
                $after = (int) $row->id;
                yield $after => [new SourceCommit($changeLog->place($row->place), (int) $row->committed_at), array_values(array_map(SpooledChange::fromArray(...), unserialize((string) gzuncompress(self::opened((string) hex2bin($row->body))), ['allowed_classes' => false])))];
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

        return $opened === false ? throw StreamTrouble::sealed() : $opened;
    }

    private static function key(): string
    {
        return hash('sha256', 'spool'.config('app.key'), true);
    }

    /** Forgets what a feed has landed, up to a row. */
    public static function landedTo(int $feedId, int $row): void
    {
        DB::delete('DELETE FROM spool WHERE feed_id = ? AND id <= ?', [$feedId, $row]);
    }

    /** Forgets what a feed has landed, up to the place where its copy stands. */
    public static function landed(int $feedId, Place $to, ChangeLog $changeLog): void
    {
        for ($after = $covered = 0; ; $covered = $after) {
            $rows = DB::select('SELECT id, place FROM spool WHERE feed_id = ? AND id > ? ORDER BY id LIMIT 1000', [$feedId, $after]);
            foreach ($rows as $row) {
                if (! $to->covers($changeLog->place($row->place))) {
                    break;
                }
                $after = (int) $row->id;
            }
            if ($after === $covered) {
                $after === 0 || self::landedTo($feedId, $after);

                return;
            }
        }
    }

    /**
     * Forgets what is kept for a route's feeds of what comes after a place: it is read again whole.
     *
     * @param  Place|null  $from  null for everything
     */
    public static function forgetAfter(RouteLog $log, ?Place $from, ChangeLog $changeLog): void
    {
        $ids = DB::table('feeds')->where('route_id', $log->route_id)->where('capture', $log->capture)->pluck('id');
        foreach (DB::table('spool')->whereIn('feed_id', $ids)->distinct()->pluck('feed_id') as $id) {
            do {
                $row = DB::table('spool')->where('feed_id', $id)->orderByDesc('id')->first(['id', 'place']);
                $again = $row !== null && ($from === null || ! $from->covers($changeLog->place($row->place)));
                $again && DB::table('spool')->where('id', $row->id)->delete();
            } while ($again);
        }
    }

    public static function forget(int $feedId): void
    {
        DB::table('spool')->where('feed_id', $feedId)->delete();
    }

    public static function waiting(int $feedId): int
    {
        return (int) DB::table('spool')->where('feed_id', $feedId)->sum('changes');
    }
}
