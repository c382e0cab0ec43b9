<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use Illuminate\Support\Facades\DB;
use Lighterman\Core\Port\LeaseLost;

/** Hands the logs of routes to workers, one worker at a time. */
final readonly class LogLeases
{
    private const FREE = '(expires_at IS NULL OR expires_at < clock_timestamp())';

    public function __construct(private string $worker)
    {
    }

    /** @return list<int> logs that want reading and that nobody holds */
    public static function wanting(): array
    {
        return array_map(static fn (object $r): int => (int) $r->id, DB::select('SELECT id FROM route_logs WHERE due_at <= clock_timestamp() AND '.self::FREE.' ORDER BY due_at'));
    }

    /** @return LogLease|null null while another worker holds it */
    public function of(int $logId): ?LogLease
    {
        $row = DB::selectOne('UPDATE route_logs SET worker = ?, token = token + 1, expires_at = clock_timestamp() + make_interval(secs => ?)
            WHERE id = (SELECT id FROM route_logs WHERE id = ? AND '.self::FREE.' FOR UPDATE SKIP LOCKED) RETURNING token', [$this->worker, config('lighterman.lease_seconds'), $logId]);

        return $row === null ? null : new LogLease($logId, $this->worker, (int) $row->token);
    }

    /** @throws LeaseLost when another worker has taken over, or the route is gone */
    public function renew(LogLease $lease): void
    {
        if (DB::update('UPDATE route_logs SET expires_at = clock_timestamp() + make_interval(secs => ?) WHERE id = ? AND token = ?', [config('lighterman.lease_seconds'), $lease->logId, $lease->token]) === 0) {
            throw LeaseLost::to((int) DB::table('route_logs')->where('id', $lease->logId)->value('token'), $lease->token);
        }
    }

    /** The row stays, so that the token goes on growing. */
    public function release(LogLease $lease): void
    {
        DB::update("UPDATE route_logs SET expires_at = clock_timestamp() - interval '1 second' WHERE id = ? AND token = ?", [$lease->logId, $lease->token]);
    }
}
