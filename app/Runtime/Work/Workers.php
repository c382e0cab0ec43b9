<?php

declare(strict_types=1);

namespace App\Runtime\Work;

/** What is known of worker processes on this machine. */
final class Workers
{
    /**
     * By which leases and runs know the worker of a process. Its number comes again, after a restart of the machine or in
     * another container of the same name, so that when it began belongs to it.
     */
    public static function name(int $pid): string
    {
        $began = self::stat($pid)[19] ?? null;

        return gethostname().":{$pid}".($began === null ? '' : '-'.base_convert($began, 10, 36));
    }

    /**
     * Whether a process is there and has not been stopped: one that stands still is taken for dead after a while, for nobody
     * knows whether it will ever go on.
     */
    public static function works(int $pid): bool
    {
        $state = self::stat($pid)[0] ?? null;

        return $state === null ? ! is_dir('/proc/self') && posix_kill($pid, 0) : ! in_array($state, ['T', 't', 'Z', 'X'], true);
    }

    /**
     * What the kernel says of a process, from its state on.
     *
     * @return list<string>|null null where there is no such process, or the kernel says nothing
     *
     * @see https://man7.org/linux/man-pages/man5/proc_pid_stat.5.html
     */
    private static function stat(int $pid): ?array
    {
        $stat = @file_get_contents("/proc/{$pid}/stat");

        // The name before the state may hold anything.
        return $stat === false ? null : explode(' ', substr((string) strrchr($stat, ')'), 2));
    }
}
