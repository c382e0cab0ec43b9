<?php

declare(strict_types=1);

namespace App\Runtime;

use Illuminate\Support\Facades\DB;
use Lighterman\Core\Port\LeaseLost;

/** Hands feeds to workers, one worker at a time. Workers meet only here. */
final readonly class Leases
{
    public function __construct(private string $worker)
    {
    }

    /** The feed that has been due longest and that nobody holds. */
    public function next(): ?Lease
    {
        return $this->take('f.due_at <= clock_timestamp()', []);
    }

    /** A feed whose small files are to be joined and that nobody holds. */
    public function toJoin(): ?Lease
    {
        return $this->take('f.join_asked', []);
    }

    /** One named feed, due or not; null while another worker holds it. */
    public function of(int $feedId): ?Lease
    {
        return $this->take('f.id = ?', [$feedId]);
    }

    /** @param  list<int>  $bindings */
    private function take(string $which, array $bindings): ?Lease
    {
        // A paused feed still comes up when it is due: the runner sees to a cancelled load that nobody is carrying.
        $row = DB::selectOne(<<<SQL
            WITH due AS (
                SELECT f.id FROM feeds f LEFT JOIN leases l ON l.feed_id = f.id
                WHERE f.capture NOT IN ('log', 'trigger') AND {$which} AND (l.feed_id IS NULL OR l.expires_at < clock_timestamp())
                ORDER BY f.due_at LIMIT 1 FOR UPDATE OF f SKIP LOCKED)
            INSERT INTO leases AS l (feed_id, worker, token, expires_at)
            SELECT id, ?, 1, clock_timestamp() + make_interval(secs => ?) FROM due
            ON CONFLICT (feed_id) DO UPDATE SET worker = excluded.worker, token = l.token + 1, expires_at = excluded.expires_at
                WHERE l.expires_at < clock_timestamp()
            RETURNING feed_id, token
            SQL, [...$bindings, $this->worker, config('lighterman.lease_seconds')]);

        return $row === null ? null : new Lease((int) $row->feed_id, $this->worker, (int) $row->token);
    }

    /** @throws LeaseLost when another worker has taken over */
    public function renew(Lease $lease): void
    {
        $held = DB::update('UPDATE leases SET expires_at = clock_timestamp() + make_interval(secs => ?) WHERE feed_id = ? AND token = ?', [config('lighterman.lease_seconds'), $lease->feedId, $lease->token]);
        if ($held === 0) {
            throw LeaseLost::to((int) DB::table('leases')->where('feed_id', $lease->feedId)->value('token'), $lease->token);
        }
    }

    /** Gives the feed back. The row stays, so that the token goes on growing. */
    public function release(Lease $lease): void
    {
        DB::update("UPDATE leases SET expires_at = clock_timestamp() - interval '1 second' WHERE feed_id = ? AND token = ?", [$lease->feedId, $lease->token]);
    }
}
