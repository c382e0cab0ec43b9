<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use League\Flysystem\Filesystem;
use League\Flysystem\Local\LocalFilesystemAdapter;
use League\Flysystem\UnixVisibility\PortableVisibilityConverter;
use Lighterman\Connectors\Engine\Engine;

/** Where files are left, and what the engine that reads some of their formats may use. */
final readonly class FilesSettings
{
    /**
     * @param  string  $path  the folder, absolute
     * @param  int  $memory  megabytes that the engine may use
     * @param  string  $temporary  folder for what does not fit into memory
     */
    public function __construct(public string $system, public string $path, public int $memory, public int $threads, public string $temporary)
    {
    }

    public function store(): Store
    {
        // The adapter makes a folder that is not there unless it is told to wait; one that is not mounted must stay missing.
        return new Store($this->system, $this->path, new Filesystem(new LocalFilesystemAdapter($this->path, new PortableVisibilityConverter, LOCK_SH, LocalFilesystemAdapter::SKIP_LINKS, null, true)));
    }

    public function engine(): Engine
    {
        return new Engine([$this->path], $this->memory, $this->threads, $this->temporary);
    }
}
