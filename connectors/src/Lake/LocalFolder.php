<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Closure;
use FilesystemIterator;
use Lighterman\Connectors\Scratch;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Trouble\FileTrouble;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\PrivilegeTrouble;
use Lighterman\Core\Trouble\StatementTrouble;
use Lighterman\Core\Trouble\SystemTrouble;
use RecursiveDirectoryIterator;
use RecursiveIteratorIterator;
use SplFileInfo;

/** A lake in a folder of this machine. */
final readonly class LocalFolder implements Folder
{
    /** How often something is tried that others may be undoing at the same moment. */
    private const TRIES = 10;

    public function __construct(private string $system, private string $root)
    {
    }

    public function check(): array
    {
        return match (true) {
            ! str_starts_with($this->root, '/') => [Finding::failed('Folder', "{$this->root} is not a whole path.", 'Give the path from the root, beginning with /.')],
            ! $this->exists() => [Finding::failed('Folder', "There is no folder {$this->root} on this machine.", "mkdir -p {$this->root}; workers and pages must run where it lies.")],
            ! is_writable($this->root) => [Finding::failed('Folder', "{$this->root} may not be written by the account that Lighterman runs under.", "chown it, or give that account the right to write {$this->root}.")],
            default => [Finding::passed('Folder', "{$this->root} can be read and written; ".number_format((float) disk_free_space($this->root) / 1e9, 1).' GB are free.')],
        };
    }

    public function exists(): bool
    {
        return is_dir($this->root);
    }

    public function isFar(): bool
    {
        return false;
    }

    public function where(string $name): string
    {
        return "{$this->root}/{$name}";
    }

    public function local(string $name, ?int $bytes = null): string
    {
        $path = $this->where($name);
        clearstatcache(true, $path);
        if ($bytes !== null && ($size = is_file($path) ? filesize($path) : null) !== $bytes) {
            throw $size === null ? MissingTrouble::written($path) : FileTrouble::damaged($path, "it has {$size} bytes, and had {$bytes}");
        }

        return $path;
    }

    public function workplace(string $feed, int $token): string
    {
        $this->leaveWorkplace($feed);

        return $this->make(self::work($feed)."/{$token}");
    }

    public function leaveWorkplace(string $feed): void
    {
        Scratch::remove($this->where(self::work($feed)));
    }

    /** Below the lake, so that a finished file only changes its name. */
    private static function work(string $feed): string
    {
        return Ledger::FOLDER."/work/{$feed}";
    }

    /** Makes the folder of a name, with those above it. */
    private function make(string $name): string
    {
        $path = $this->where($name);
        // Whoever takes the last file out of a folder takes the folder away, and those above it.
        for ($try = 1; ! is_dir($path) && ! @mkdir($path, 0777, true); $try++) {
            clearstatcache(true, $path);
            is_dir($path) || $try < self::TRIES || throw $this->trouble("the folder {$path} cannot be made");
        }

        return $path;
    }

    public function read(string $name): ?string
    {
        $path = $this->where($name);
        $text = is_file($path) ? @file_get_contents($path) : false;
        if ($text !== false) {
            return $text;
        }
        // It may have been taken away between the two.
        clearstatcache(true, $path);

        return is_file($path) ? throw $this->trouble("{$path} cannot be read") : null;
    }

    public function readAll(array $names): array
    {
        return array_combine($names, array_map($this->read(...), $names));
    }

    public function create(string $name, string $contents): bool
    {
        $this->make(dirname($name));
        $path = $this->where($name);
        $new = $path.'.'.bin2hex(random_bytes(6)).'.new';
        $file = @fopen($new, 'xb');
        if ($file === false || fwrite($file, $contents) !== strlen($contents) || ! fflush($file) || ! fsync($file)) {
            @unlink($new);
            throw $this->trouble("{$path} cannot be written");
        }
        fclose($file);
        // A link is made only where the name is free, whoever else is making it.
        $created = @link($new, $path);
        $why = $created ? '' : (string) (error_get_last()['message'] ?? '');
        unlink($new);

        // Whoever had the name may have taken the file away again by now.
        return $created || (str_contains($why, 'File exists') ? false : throw $this->trouble("{$path} cannot be written"));
    }

    public function place(string $finished, string $name, ?Closure $alive): void
    {
        $file = @fopen($finished, 'r+b');
        if ($file === false || ! fsync($file)) {
            throw $this->trouble("{$this->where($name)} cannot be written");
        }
        fclose($file);
        for ($try = 1; ; $try++) {
            $folder = $this->make(dirname($name));
            if (@rename($finished, $this->where($name))) {
                return;
            }
            clearstatcache(true, $folder);
            ! is_dir($folder) && $try < self::TRIES || throw $this->trouble("{$this->where($name)} cannot be written");
        }
    }

    public function repeat(string $name, string $as): void
    {
        $beside = $this->where($as).'.'.bin2hex(random_bytes(6)).'.new';
        // Where a disk has no links, the file is copied.
        if ((! @link($this->where($name), $beside) && ! @copy($this->where($name), $beside)) || ! rename($beside, $this->where($as))) {
            @unlink($beside);
            throw $this->trouble("{$this->where($as)} cannot be written");
        }
        // Of two links to one file rename() leaves both.
        @unlink($beside);
    }

    public function delete(string $name): void
    {
        @unlink($this->where($name));
        // Folders go with their last file.
        for ($folder = dirname($name); $folder !== '.' && @rmdir($this->where($folder)); $folder = dirname($folder)) {
            continue;
        }
    }

    public function files(string $below): array
    {
        $path = $this->where($below);
        if (! is_dir($path)) {
            return [];
        }
        $names = [];
        /** @var SplFileInfo $file */
        foreach (new RecursiveIteratorIterator(new RecursiveDirectoryIterator($path, FilesystemIterator::SKIP_DOTS)) as $file) {
            $names[] = $below.substr($file->getPathname(), strlen($path));
        }
        sort($names);

        return $names;
    }

    public function entries(string $name): array
    {
        $path = $this->where($name);

        return is_dir($path) ? array_values(array_diff(scandir($path) ?: [], ['.', '..'])) : [];
    }

    private function trouble(string $what): SystemTrouble
    {
        $why = error_get_last()['message'] ?? '';
        $full = str_contains($why, 'No space left');

        return $full ? StatementTrouble::diskFull($this->system, "{$this->system}: {$what}, for the disk is full", $this->root)
            : PrivilegeTrouble::inFolder($this->system, "{$this->system}: {$what}.", $this->root);
    }
}
