<?php

declare(strict_types=1);

namespace App\Runtime\Work;

use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\Kind\Kinds;
use Lighterman\Core\Port\LeaseLost;

/** Hands pieces of work to workers, one worker at a time. Workers meet only here; the clock is the database's. */
final readonly class Leases
{
    /** A feed whose next run may take long: one that loads, or took longer than a minute the last time. */
    private const LONG = "(f.position IS NULL OR f.position->>'phase' IN ('start', 'load') OR f.reload IS NOT NULL
        OR EXISTS (SELECT 1 FROM runs r WHERE r.id = f.last_run_id AND r.ended_at - r.started_at > interval '1 minute'))";

    /** The feed whose promise will be broken soonest; one that has never been complete counts from when it was due. */
    private const AT_RISK = 'coalesce(f.complete_up_to, f.due_at) + make_interval(secs => f.promise_seconds)';

    public function __construct(private string $worker)
    {
    }

    /** A feed that is due and that nobody holds, by promise at risk. Long loads take at most their share of the workers. */
    public function next(): ?Lease
    {
        $lease = $this->feedWhere('f.due_at <= clock_timestamp()', [], self::AT_RISK);
        if ($lease === null || ! $this->crowdsOut($lease)) {
            return $lease;
        }
        $this->release($lease);

        return $this->feedWhere('f.due_at <= clock_timestamp() AND NOT '.self::LONG, [], self::AT_RISK);
    }

    /** Whether a feed that may take long would take more workers than its like are allowed. Asked with the lease in hand, so that two cannot both be told no. */
    private function crowdsOut(Lease $lease): bool
    {
        $row = DB::selectOne('SELECT '.self::LONG.' AS long, (SELECT count(*) FROM workers WHERE seen_at > clock_timestamp() - make_interval(secs => ?)) AS workers,
                (SELECT count(*) FROM leases l JOIN feeds f ON f.id = l.feed_id WHERE l.expires_at > clock_timestamp() AND '.self::LONG.') AS loading FROM feeds f WHERE f.id = ?',
            [3 * Keeper::SEEN_SECONDS, $lease->of]);

        return $row !== null && $row->long && (int) $row->loading > max(1, (int) floor((int) $row->workers * (float) config('lighterman.long_share')));
    }

    /** A feed whose small files are to be joined and that nobody holds. */
    public function toJoin(): ?Lease
    {
        return $this->feedWhere('f.join_asked', [], 'f.id');
    }

    /** One feed, due or not; null while another worker holds it. */
    public function feed(int $id): ?Lease
    {
        return $this->feedWhere('f.id = ?', [$id], 'f.id');
    }

    /** One log; null while another worker holds it. */
    public function log(int $id): ?Lease
    {
        return $this->take(WorkKind::Log, 'f.id = ?', [$id], 'f.id');
    }

    /**
     * Gives back what workers hold that are no more.
     *
     * @param  list<string>  $workers
     */
    public static function giveBack(array $workers): void
    {
        if ($workers !== []) {
            DB::table('leases')->whereIn('worker', $workers)->where('expires_at', '>', DB::raw('clock_timestamp()'))->update(['expires_at' => DB::raw("clock_timestamp() - interval '1 second'")]);
        }
    }

    /** @return list<int> logs that want reading and that nobody holds */
    public static function logsWanting(): array
    {
        return array_values(array_map(static fn (\stdClass $r): int => (int) $r->id, DB::select('SELECT f.id FROM route_logs f LEFT JOIN leases l ON l.log_id = f.id WHERE f.due_at <= clock_timestamp() AND (l.expires_at IS NULL OR l.expires_at < clock_timestamp()) ORDER BY f.due_at')));
    }

    /** @param  list<int>  $bindings */
    private function feedWhere(string $which, array $bindings, string $order): ?Lease
    {
        // A paused feed still comes up when it is due: the runner sees to a cancelled load that nobody is carrying.

        return $this->take(WorkKind::Feed, 'f.capture NOT IN ('.Kinds::streamsInSql().") AND {$which}", $bindings, $order);
    }

    /** @param  list<int>  $bindings */
    private function take(WorkKind $kind, string $which, array $bindings, string $order): ?Lease
    {
        $id = $kind->column();
        $row = DB::selectOne(<<<SQL
            WITH free AS (
                SELECT f.id FROM {$kind->value} f LEFT JOIN leases l ON l.{$id} = f.id
                WHERE {$which} AND (l.expires_at IS NULL OR l.expires_at < clock_timestamp())
                ORDER BY {$order} LIMIT 1 FOR UPDATE OF f SKIP LOCKED)
            INSERT INTO leases AS l ({$id}, worker, token, expires_at)
            SELECT id, ?, 1, clock_timestamp() + make_interval(secs => ?) FROM free
            ON CONFLICT ({$id}) DO UPDATE SET worker = excluded.worker, token = l.token + 1, expires_at = excluded.expires_at
                WHERE l.expires_at < clock_timestamp()
            RETURNING {$id} AS id, token
            SQL, [...$bindings, $this->worker, config('lighterman.lease_seconds')]);

        return $row === null ? null : new Lease($kind, (int) $row->id, $this->worker, (int) $row->token);
    }

    /** @throws LeaseLost when another worker has taken over, or the work is gone */
    public function renew(Lease $lease): void
    {
        $held = DB::update("UPDATE leases SET expires_at = clock_timestamp() + make_interval(secs => ?) WHERE {$lease->kind->column()} = ? AND token = ?", [config('lighterman.lease_seconds'), $lease->of, $lease->token]);
        if ($held === 0) {
            throw LeaseLost::to(self::token($lease), $lease->token);
        }
    }

    /**
     * Within a transaction: until it ends nobody can take the work over, so that nothing is counted twice.
     *
     * @throws LeaseLost when another worker has taken over, or the work is gone
     */
    public static function demand(Lease $lease): void
    {
        $token = (int) DB::table('leases')->where($lease->kind->column(), $lease->of)->sharedLock()->value('token');
        if ($token !== $lease->token) {
            throw LeaseLost::to($token, $lease->token);
        }
    }

    private static function token(Lease $lease): int
    {
        return (int) DB::table('leases')->where($lease->kind->column(), $lease->of)->value('token');
    }

    /** Gives the work back. The row stays, so that the token goes on growing. */
    public function release(Lease $lease): void
    {
        DB::update("UPDATE leases SET expires_at = clock_timestamp() - interval '1 second' WHERE {$lease->kind->column()} = ? AND token = ?", [$lease->of, $lease->token]);
    }

    /**
     * Gives back whatever this worker holds: what it took, or could not give back, when the database went away under it.
     * Nobody else would, for what a worker holds is renewed as long as it works.
     */
    public function releaseAll(): void
    {
        DB::update("UPDATE leases SET expires_at = clock_timestamp() - interval '1 second' WHERE worker = ? AND expires_at >= clock_timestamp()", [$this->worker]);
    }

    /**
     * Renews whatever some workers hold, for they are at work, however long what they wait for takes.
     *
     * @param  list<string>  $workers
     */
    public static function renewAll(array $workers): void
    {
        if ($workers !== []) {
            DB::table('leases')->whereIn('worker', $workers)->whereRaw('expires_at > clock_timestamp()')->update(['expires_at' => DB::raw('clock_timestamp() + make_interval(secs => '.(int) config('lighterman.lease_seconds').')')]);
        }
    }
}
