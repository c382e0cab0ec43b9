<?php

declare(strict_types=1);

namespace Lighterman\Connectors;

use Lighterman\Core\Port\Access;
use Lighterman\Core\Trouble\FolderTrouble;

/** A file or folder of this machine that a system may lie in, judged where it really lies. */
final class AllowedPath
{
    /** @throws FolderTrouble */
    public static function of(Access $access): string
    {
        $path = rtrim($access->text('path'), '/');
        $path = $path === '' ? '/' : $path;
        $lies = self::real($path);
        foreach ($access->folders->never as $own) {
            $own = self::real($own);
            if (self::holds($own, $lies) || self::holds($lies, $own)) {
                throw FolderTrouble::own($access->system, $path);
            }
        }
        foreach ($access->folders->allowed as $folder) {
            if (self::holds(self::real($folder), $lies)) {
                return $path;
            }
        }
        throw FolderTrouble::outside($access->system, $path, $lies, $access->folders->allowed);
    }

    private static function holds(string $folder, string $path): bool
    {
        return $path === $folder || str_starts_with($path, rtrim($folder, '/').'/');
    }

    /** Where a path leads, links followed; of one that is not there yet, as far as it is. */
    private static function real(string $path): string
    {
        $rest = [];
        for ($there = $path; ($real = realpath($there)) === false && $there !== dirname($there); $there = dirname($there)) {
            // What is not there leads nowhere, and may be no way out either.
            array_unshift($rest, in_array(basename($there), ['.', '..'], true) ? '' : basename($there));
        }

        return rtrim(($real === false ? '' : rtrim($real, '/')).'/'.implode('/', $rest), '/') ?: '/';
    }
}
