<?php

declare(strict_types=1);

namespace App\Runtime\Work;

/** What is known of worker processes on this machine. */
final class Workers
{
    /** By which leases and runs know the worker of a process. */
    public static function name(int $pid): string
    {
        return gethostname().":{$pid}";
    }

    /**
     * Whether a process is there and has not been stopped: one that stands still is taken for dead after a while, for nobody
     * knows whether it will ever go on.
     *
     * @see https://man7.org/linux/man-pages/man5/proc_pid_stat.5.html
     */
    public static function works(int $pid): bool
    {
        $stat = @file_get_contents("/proc/{$pid}/stat");
        if ($stat === false) {
            return ! is_dir('/proc/self') && posix_kill($pid, 0);
        }

        // The name before the state may hold anything.
        return ! in_array(substr((string) strrchr($stat, ')'), 2, 1), ['T', 't', 'Z', 'X', ''], true);
    }
}
