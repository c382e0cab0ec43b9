<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use Lighterman\Connectors\SteadyClock;

/** Has a child process read each route's log that nobody reads, and sees to the children. A log is read without a pause, which a worker that carries other feeds too could not do. */
final class LogKeeper
{
    private const LOOK_SECONDS = 1.0;

    /** @var array<int, resource> child by log */
    private array $children = [];

    private float $lookedAt = 0.0;

    public function __construct(private readonly int $most)
    {
    }

    public function tick(): void
    {
        if (SteadyClock::seconds() - $this->lookedAt < self::LOOK_SECONDS) {
            return;
        }
        $this->lookedAt = SteadyClock::seconds();
        $this->reap();
        foreach (LogLeases::wanting() as $logId) {
            if (isset($this->children[$logId]) || count($this->children) >= $this->most) {
                continue;
            }
            $child = proc_open([PHP_BINARY, base_path('bin/lighterman'), 'log:read', (string) $logId, '--child'], [['file', '/dev/null', 'r'], STDOUT, STDERR], $pipes, base_path());
            if ($child !== false) {
                $this->children[$logId] = $child;
            }
        }
    }

    private function reap(): void
    {
        foreach ($this->children as $logId => $child) {
            if (! proc_get_status($child)['running']) {
                proc_close($child);
                unset($this->children[$logId]);
            }
        }
    }

    /** Lets every child finish the batch under way, and waits for them. */
    public function stop(): void
    {
        foreach ($this->children as $child) {
            proc_terminate($child, SIGTERM);
        }
        foreach ($this->children as $child) {
            proc_close($child);
        }
        $this->children = [];
    }
}
