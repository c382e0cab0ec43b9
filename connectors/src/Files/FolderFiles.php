<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use League\Flysystem\FilesystemException;
use League\Flysystem\FilesystemOperator;
use Lighterman\Core\Trouble\FileTrouble;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/** Files in a folder of this machine. */
final readonly class FolderFiles extends Store
{
    /** @param  string  $root  the folder, absolute */
    public function __construct(string $system, private string $root, FilesystemOperator $files)
    {
        parent::__construct($system, $files);
    }

    public function place(string $path): string
    {
        return "{$this->root}/{$path}";
    }

    protected function demandThere(): void
    {
        if (! is_dir($this->root) || ! is_readable($this->root)) {
            throw MissingTrouble::folder($this->system, "{$this->system}: the folder {$this->root} ".(is_dir($this->root) ? 'may not be read.' : 'is not there.'), $this->root, is_dir($this->root) ? 'Give the account that Lighterman runs under the right to read it.' : 'Mount or make it, or correct the path. Lighterman tries again.');
        }
    }

    protected function forget(string $path): void
    {
        clearstatcache(true, $this->place($path));
    }

    protected function trouble(string $path, FilesystemException $e): SystemTrouble
    {
        return FileTrouble::unreadable($this->system, $path);
    }
}
