<?php

declare(strict_types=1);

namespace App\Support;

/**
 * Keeps the logs of servers and workers small. Whoever writes holds its file open for years, appending, so what is in one is copied
 * aside and the file emptied; a line written in that moment may be lost.
 */
final class LogFiles
{
    /** Bytes. */
    private const MOST = 10 << 20;

    /** Files kept of each log, the newest as NAME.1 */
    private const KEPT = 3;

    /** @param  list<string>  $patterns  of paths, as glob() takes them */
    public static function rotate(array $patterns): void
    {
        clearstatcache();
        foreach (array_merge(...array_map(static fn (string $p): array => glob($p) ?: [], $patterns)) as $log) {
            if (filesize($log) > self::MOST) {
                self::putAside($log);
            }
        }
    }

    private static function putAside(string $log): void
    {
        for ($n = self::KEPT; $n > 1; $n--) {
            file_exists("{$log}.".($n - 1)) && rename("{$log}.".($n - 1), "{$log}.{$n}");
        }
        if (copy($log, "{$log}.1") && ($file = fopen($log, 'r+')) !== false) {
            ftruncate($file, 0);
            fclose($file);
        }
    }
}
