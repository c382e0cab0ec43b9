<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use FilesystemIterator;
use Lighterman\Core\Port\SystemTrouble;
use RecursiveDirectoryIterator;
use RecursiveIteratorIterator;
use SplFileInfo;

/** The files of a lake. Names are relative to its folder. Every method may throw SystemTrouble. */
final readonly class Folder
{
    public function __construct(private string $system, private string $root)
    {
    }

    public function path(string $name): string
    {
        return "{$this->root}/{$name}";
    }

    public function exists(): bool
    {
        return is_dir($this->root);
    }

    /** Makes the folder of a name, with those above it. */
    public function make(string $name): string
    {
        $path = $this->path($name);
        if (! is_dir($path) && ! @mkdir($path, 0777, true) && ! is_dir($path)) {
            throw $this->trouble("the folder {$path} cannot be made");
        }

        return $path;
    }

    /** @return string|null null if there is no such file */
    public function read(string $name): ?string
    {
        $path = $this->path($name);
        if (! is_file($path)) {
            return null;
        }
        $text = @file_get_contents($path);

        return $text === false ? throw $this->trouble("{$path} cannot be read") : $text;
    }

    /**
     * Writes a file that must not be there yet, whole or not at all, and on the disk before it has its name.
     *
     * @return bool false if a file of that name is there
     */
    public function create(string $name, string $contents): bool
    {
        $this->make(dirname($name));
        $path = $this->path($name);
        $new = $path.'.'.bin2hex(random_bytes(6)).'.new';
        $file = @fopen($new, 'xb');
        if ($file === false || fwrite($file, $contents) !== strlen($contents) || ! fflush($file) || ! fsync($file)) {
            @unlink($new);
            throw $this->trouble("{$path} cannot be written");
        }
        fclose($file);
        // A link is made only where the name is free, whoever else is making it.
        $created = @link($new, $path);
        unlink($new);

        return $created || (is_file($path) ? false : throw $this->trouble("{$path} cannot be written"));
    }

    /** Gives a finished file its place. What it holds is on the disk before. */
    public function place(string $finished, string $name): void
    {
        $this->make(dirname($name));
        $file = @fopen($finished, 'r+b');
        if ($file === false || ! fsync($file) || ! rename($finished, $this->path($name))) {
            throw $this->trouble("{$this->path($name)} cannot be written");
        }
        fclose($file);
    }

    public function delete(string $name): void
    {
        @unlink($this->path($name));
        // Folders go with their last file.
        for ($folder = dirname($name); $folder !== '.' && @rmdir($this->path($folder)); $folder = dirname($folder)) {
            continue;
        }
    }

    /** @return list<string> names of all files below a folder; none if there is no such folder */
    public function files(string $below): array
    {
        $path = $this->path($below);
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

    /** @return list<string> names of the folders and files in a folder */
    public function entries(string $name): array
    {
        $path = $this->path($name);

        return is_dir($path) ? array_values(array_diff(scandir($path) ?: [], ['.', '..'])) : [];
    }

    public function size(string $name): int
    {
        return (int) filesize($this->path($name));
    }

    private function trouble(string $what): SystemTrouble
    {
        $why = error_get_last()['message'] ?? '';
        $full = str_contains($why, 'No space left');

        return $full ? SystemTrouble::passing('disk_full', "{$this->system}: {$what}, for the disk is full.", "Free space on the disk of {$this->root}. Lighterman tries again.")
            : SystemTrouble::lasting('no_privilege', "{$this->system}: {$what}.", "Give the account that Lighterman runs under the right to read and write {$this->root}.");
    }
}
