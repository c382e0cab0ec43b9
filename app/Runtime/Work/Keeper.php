<?php

declare(strict_types=1);

namespace App\Runtime\Work;

use App\Runtime\Common\Fault;
use App\Support\HouseTime;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Log;
use Lighterman\Connectors\SteadyClock;
use Throwable;

/**
 * Minds the processes that do the work, and is never busy itself: a child that carries feeds, and one for each log that
 * nobody reads. What ends is started again, and the leases of those that are at work are renewed however long what they wait
 * for takes.
 */
final class Keeper
{
    /** How often it is said that this worker is there. */
    public const SEEN_SECONDS = 5;

    private const LOOK_SECONDS = 1.0;

    /** @var array<string, resource> children, by what they do */
    private array $children = [];

    /** @var array<string, string> under which name they hold leases, by what they do */
    private array $names = [];

    /** @var list<string> names of children that have ended, and may have been unable to give back what they held */
    private array $ended = [];

    private bool $stop = false;

    private float $seenAt = 0.0;

    /** @param  int  $most  logs read at the same time */
    public function __construct(private readonly int $most)
    {
    }

    public function stop(): void
    {
        $this->stop = true;
    }

    /** Until told to stop. */
    public function keep(): void
    {
        for ($lookedAt = 0.0; ! $this->stop; usleep(100_000)) {
            if (SteadyClock::seconds() - $lookedAt < self::LOOK_SECONDS) {
                continue;
            }
            $lookedAt = SteadyClock::seconds();
            $this->reap();
            $this->start('carry', ['work', '--carry='.getmypid()]);
            $this->patiently($this->renew(...));
            $this->patiently($this->readLogs(...));
        }
        $this->end();
    }

    private function renew(): void
    {
        $pids = array_map(static fn ($child): int => proc_get_status($child)['pid'], array_values($this->children));
        Leases::renewAll(array_map(Workers::name(...), array_values(array_filter($pids, Workers::works(...)))));
        if (SteadyClock::seconds() - $this->seenAt >= self::SEEN_SECONDS) {
            $this->seenAt = SteadyClock::seconds();
            DB::insert('INSERT INTO workers (name, seen_at) VALUES (?, clock_timestamp()) ON CONFLICT (name) DO UPDATE SET seen_at = excluded.seen_at', [Workers::name((int) getmypid())]);
            HouseTime::takeFrom(DB::connection());
        }
    }

    private function readLogs(): void
    {
        Leases::giveBack($this->ended);
        $this->ended = [];
        foreach (Leases::logsWanting() as $logId) {
            if (count($this->children) <= $this->most) {
                $this->start("log {$logId}", ['log:read', (string) $logId, '--child='.getmypid()]);
            }
        }
    }

    /** @param  list<string>  $command */
    private function start(string $what, array $command): void
    {
        if (isset($this->children[$what]) || $this->stop) {
            return;
        }
        $child = proc_open([PHP_BINARY, base_path('bin/lighterman'), ...$command], [['file', '/dev/null', 'r'], STDOUT, STDERR], $pipes, base_path());
        if ($child !== false) {
            $this->children[$what] = $child;
            $this->names[$what] = Workers::name(proc_get_status($child)['pid']);
        }
    }

    private function reap(): void
    {
        foreach ($this->children as $what => $child) {
            if (! proc_get_status($child)['running']) {
                proc_close($child);
                $this->ended[] = $this->names[$what];
                unset($this->children[$what], $this->names[$what]);
            }
        }
    }

    /** Lets every child finish the batch under way, and waits for them. */
    private function end(): void
    {
        foreach ($this->children as $child) {
            proc_terminate($child, SIGTERM);
        }
        while ($this->children !== []) {
            $this->reap();
            $this->patiently($this->renew(...));
            usleep(100_000);
        }
        $this->patiently(static fn () => DB::table('workers')->where('name', Workers::name((int) getmypid()))->delete());
    }

    /**
     * Our own database may be restarting; the children see to themselves meanwhile.
     *
     * @param  callable(): mixed  $do
     */
    private function patiently(callable $do): void
    {
        try {
            $do();
        } catch (Throwable $e) {
            Log::error('work: '.Fault::told($e));
            DB::disconnect();
        }
    }
}
