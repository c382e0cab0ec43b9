<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use App\Models\KeptTrouble;
use App\Models\RouteLog;
use App\Runtime\Common\Backoff;
use App\Runtime\Common\Fault;
use App\Runtime\Common\Systems;
use App\Runtime\Work\Lease;
use App\Runtime\Work\Leases;
use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Carrying\SetApart;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\SystemTrouble;
use Throwable;

/** Keeps one route's log read for as long as the lease is held, through troubles on either side. */
final class LogRunner
{
    /** @var callable(): bool whether this process was asked to stop */
    private $stopping;

    /** @param  callable(): bool  $stopping */
    public function __construct(private readonly Systems $systems, private readonly Leases $leases, callable $stopping)
    {
        $this->stopping = $stopping;
    }

    /**
     * @param  bool  $drain  ends once everything committed before the call has landed
     *
     * @throws LeaseLost if that cannot be said, for another worker has taken over
     */
    public function run(Lease $lease, bool $drain = false): void
    {
        try {
            $this->endLostRuns($lease);
            for ($spoolOnly = false; ! ($this->stopping)();) {
                $log = RouteLog::with('route.source', 'route.target')->find($lease->of);
                if ($log === null || $this->once($log, $lease, $drain, $spoolOnly)) {
                    return;
                }
            }
        } catch (LeaseLost $lost) {
            // Another worker goes on from what stands in the target.
            if ($drain) {
                throw $lost;
            }
        } finally {
            $this->leases->release($lease);
        }
    }

    /** @return bool whether the reading has come to its end */
    private function once(RouteLog $log, Lease $lease, bool $drain, bool &$spoolOnly): bool
    {
        $changeLog = $this->systems->log($log);
        $reading = new LogReading($log, $lease, $this->leases, $changeLog, $this->systems, $this->stopping, $drain);
        try {
            return $reading->read($spoolOnly);
        } catch (SetApart $apart) {
            $reading->setApart($apart);

            return false;
        } catch (TargetAway $away) {
            $spoolOnly = $this->waitForTarget($log, $lease, $changeLog, $away->trouble);

            return $drain && ! $away->trouble->mayPass() ? throw $away : false;
        } catch (LeaseLost $lost) {
            throw $lost;
        } catch (Explained $trouble) {
            return $this->troubled($log, $lease, $trouble, $drain);
        } catch (Throwable $e) {
            return $this->troubled($log, $lease, Fault::trouble("log of route {$log->route->name}", $e, 'reading this log'), $drain);
        } finally {
            $reading->close();
        }
    }

    /** @return bool whether the reading has come to its end */
    private function troubled(RouteLog $log, Lease $lease, Explained $trouble, bool $drain): bool
    {
        $this->systems->forget();
        $log->update(['standing' => $trouble->mayPass() ? 'waiting' : 'failed', 'trouble' => KeptTrouble::of($trouble), 'failures' => $log->failures + 1, 'due_at' => $trouble->mayPass() ? now() : null]);
        if ($drain) {
            throw $trouble;
        }
        if (! $trouble->mayPass()) {
            return true;
        }
        $this->wait($lease, min(30, Backoff::seconds($log->failures)));

        return false;
    }

    /**
     * The source goes on keeping its log meanwhile; beyond the limit its changes are read into the spool.
     *
     * @return bool whether to read into the spool
     */
    private function waitForTarget(RouteLog $log, Lease $lease, ChangeLog $changeLog, Explained $trouble): bool
    {
        $log->update(['standing' => 'waiting', 'trouble' => KeptTrouble::of($trouble), 'failures' => $log->failures + 1]);
        $this->systems->forget();
        $this->wait($lease, min(5, Backoff::seconds($log->failures)));
        try {
            $state = $changeLog->state();
        } catch (SystemTrouble) {
            return false;
        }
        $log->update(['retained_bytes' => $state->retained ?? 0, 'waiting_bytes' => $state->waiting ?? 0]);

        return $state !== null && $state->retained > $log->spool_bytes;
    }

    private function wait(Lease $lease, int $seconds): void
    {
        for ($until = SteadyClock::seconds() + $seconds; SteadyClock::seconds() < $until && ! ($this->stopping)(); usleep(250_000)) {
            $this->leases->renew($lease);
        }
    }

    private function endLostRuns(Lease $lease): void
    {
        DB::insert("WITH lost AS (UPDATE runs SET state = 'lost', ended_at = now() WHERE state = 'running' AND kind IN ('log', 'log load', 'join') AND feed_id IN (SELECT f.id FROM feeds f JOIN route_logs l ON l.route_id = f.route_id WHERE l.id = ? AND f.capture = l.capture) RETURNING id)
            INSERT INTO run_lines (run_id, at, level, said) SELECT id, now(), 'caution', 'Its worker had not answered for longer than its lease. ' || ?::text || ' has taken over, and goes on from what stands in the target.' FROM lost", [$lease->of, $lease->worker]);
    }
}
