<?php

declare(strict_types=1);

namespace Lighterman\Connectors;

/** Folders of this machine for files that nobody needs any more once something is done. */
final class Scratch
{
    /** Removes a folder with all that it holds, if there is one. */
    public static function remove(string $folder): void
    {
        if (! is_dir($folder)) {
            return;
        }
        foreach (array_diff(scandir($folder) ?: [], ['.', '..']) as $name) {
            is_dir("{$folder}/{$name}") ? self::remove("{$folder}/{$name}") : unlink("{$folder}/{$name}");
        }
        rmdir($folder);
    }
}
