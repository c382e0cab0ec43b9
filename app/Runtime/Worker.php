<?php

declare(strict_types=1);

namespace App\Runtime;

use App\Runtime\Common\Fault;
use App\Runtime\Common\Systems;
use App\Runtime\Query\FeedRunner;
use App\Runtime\Work\Leases;
use App\Runtime\Work\Workers;
use App\Support\HouseTime;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Log;
use Lighterman\Connectors\SteadyClock;
use Throwable;

/** Takes due feeds one after another until told to stop, or left alone by the process that started it. */
final class Worker
{
    /** How often it is asked what time it is. */
    private const CLOCK_SECONDS = 10;

    private bool $stop = false;

    private readonly Leases $leases;

    private readonly FeedRunner $runner;

    public function __construct(Systems $systems, ?string $name = null)
    {
        $this->leases = new Leases($name ?? Workers::name((int) getmypid()));
        $this->runner = new FeedRunner($systems, $this->leases, fn (): bool => $this->stop);
    }

    /** Finishes the batch under way and returns. */
    public function stop(): void
    {
        $this->stop = true;
    }

    /** @param  int  $parent  number of the process that minds it; it may have ended before this one had begun */
    public function work(int $parent, float $idleSeconds = 0.5): void
    {
        $asked = 0.0;
        for ($holds = false; ! $this->stop;) {
            try {
                if ($holds) {
                    $this->leases->releaseAll();
                    $holds = false;
                }
                $this->stop = posix_getppid() !== $parent;
                if (SteadyClock::seconds() - $asked > self::CLOCK_SECONDS) {
                    $asked = SteadyClock::seconds();
                    HouseTime::takeFrom(DB::connection());
                }
                if (($lease = $this->leases->toJoin()) !== null) {
                    $this->runner->join($lease);
                }
                $lease = $this->leases->next();
                $lease === null ? usleep((int) ($idleSeconds * 1e6)) : $this->runner->run($lease);
            } catch (Throwable $e) {
                // Our own database may be restarting; the feed under way is taken up again once it is given back.
                $holds = true;
                Log::error('worker: '.Fault::told($e));
                DB::disconnect();
                sleep(1);
            }
        }
    }

    /** Joins the small files of one feed now; false while another worker holds it. */
    public function join(int $feedId): bool
    {
        $lease = $this->leases->feed($feedId);
        if ($lease !== null) {
            $this->runner->join($lease);
        }

        return $lease !== null;
    }

    /** Carries one feed once, now; false while another worker holds it. */
    public function once(int $feedId): bool
    {
        $lease = $this->leases->feed($feedId);
        if ($lease !== null) {
            $this->runner->run($lease);
        }

        return $lease !== null;
    }
}
