<?php

declare(strict_types=1);

namespace App\Runtime\Work;

/** A process beside one that somebody started by hand, which renews its leases while it is at work. It ends with it. */
final class Companion
{
    /** @var resource|null */
    private $process = null;

    public function __construct()
    {
        $process = proc_open([PHP_BINARY, base_path('bin/lighterman'), 'lease:keep', (string) getmypid()], [['file', '/dev/null', 'r'], ['file', '/dev/null', 'w'], STDERR], $pipes, base_path());
        $this->process = is_resource($process) ? $process : null;
    }

    public function __destruct()
    {
        if ($this->process !== null) {
            proc_terminate($this->process, SIGTERM);
            proc_close($this->process);
        }
    }
}
