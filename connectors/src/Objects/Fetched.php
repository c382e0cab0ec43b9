<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Objects;

use Lighterman\Core\Trouble\PrivilegeTrouble;
use SplFileInfo;

/**
 * Files of a store that were fetched to this machine. What lies under a name never changes, so a file that is here is as good as
 * the one there; those not asked for the longest go when it becomes too much.
 */
final class Fetched
{
    /** Seconds in which a file that was asked for is not taken away, for it may be about to be opened. */
    private const IN_USE = 3600;

    private bool $tidied = false;

    /**
     * @param  string  $folder  absolute
     * @param  int  $most  bytes that may stay
     */
    public function __construct(public readonly string $folder, private readonly int $most)
    {
    }

    /**
     * @param  callable(resource): void  $fetch  writes what the file holds
     * @param  int|null  $bytes  that it has; what lies here and has others is fetched anew
     * @return string absolute path
     */
    public function path(string $name, callable $fetch, ?int $bytes = null): string
    {
        $path = "{$this->folder}/{$name}";
        clearstatcache(true, $path);
        if (is_file($path) && ($bytes === null || filesize($path) === $bytes)) {
            touch($path);

            return $path;
        }
        $this->tidy();
        is_dir(dirname($path)) || @mkdir(dirname($path), 0700, true);
        $new = $path.'.'.bin2hex(random_bytes(6)).'.new';
        $file = @fopen($new, 'xb') ?: throw PrivilegeTrouble::toWrite($new);
        try {
            $fetch($file);
        } catch (\Throwable $e) {
            unlink($new);
            throw $e;
        } finally {
            fclose($file);
        }
        rename($new, $path);

        return $path;
    }

    /** Takes in a file that is here already, as what lies under a name. */
    public function keep(string $finished, string $name): void
    {
        $path = "{$this->folder}/{$name}";
        is_dir(dirname($path)) || @mkdir(dirname($path), 0700, true);
        rename($finished, $path);
    }

    public function forget(string $name): void
    {
        @unlink("{$this->folder}/{$name}");
    }

    private function tidy(): void
    {
        if ($this->tidied || ! is_dir($this->folder)) {
            return;
        }
        $this->tidied = true;
        $files = [];
        /** @var SplFileInfo $file */
        foreach (new \RecursiveIteratorIterator(new \RecursiveDirectoryIterator($this->folder, \FilesystemIterator::SKIP_DOTS)) as $file) {
            $files[$file->getPathname()] = [$file->getMTime(), $file->getSize()];
        }
        uasort($files, static fn (array $a, array $b): int => $b[0] <=> $a[0]);
        $sum = 0;
        foreach ($files as $path => [$asked, $size]) {
            $sum += $size;
            if ($sum > $this->most && $asked < time() - self::IN_USE) {
                @unlink($path);
            }
        }
    }
}
