<?php

declare(strict_types=1);

namespace Lighterman\Connectors;

/** Folders of this machine for files that nobody needs any more once something is done. */
final class Scratch
{
    /** What a signal to a process that is gone is answered with. */
    private const ESRCH = 3;

    /**
     * A path for a folder that no other process, and nothing else of this one, has. Those of processes of this machine that are
     * gone are cleared away.
     */
    public static function own(string $in, string $kind): string
    {
        $ours = "{$in}/{$kind}-".gethostname();
        foreach (glob("{$ours}-*") ?: [] as $left) {
            if (preg_match('/-(\d+)-[0-9a-f]{12}$/', $left, $m) && ! posix_kill((int) $m[1], 0) && posix_get_last_error() === self::ESRCH) {
                self::remove($left);
            }
        }

        return "{$ours}-".getmypid().'-'.bin2hex(random_bytes(6));
    }

    /** Removes a folder with all that it holds, if there is one. */
    public static function remove(string $folder): void
    {
        if (! is_dir($folder)) {
            return;
        }
        foreach (array_diff(scandir($folder) ?: [], ['.', '..']) as $name) {
            // Another process may be clearing it away too.
            is_dir("{$folder}/{$name}") ? self::remove("{$folder}/{$name}") : @unlink("{$folder}/{$name}");
        }
        @rmdir($folder);
    }
}
