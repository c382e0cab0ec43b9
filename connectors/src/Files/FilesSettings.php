<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Files;

use League\Flysystem\Filesystem;
use League\Flysystem\Local\LocalFilesystemAdapter;
use League\Flysystem\UnixVisibility\PortableVisibilityConverter;
use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Objects\ObjectStore;

/** Where files are left, and what the engine that reads some of their formats may use. */
final readonly class FilesSettings
{
    /**
     * @param  string|ObjectStore  $place  the folder on this machine, absolute, or the store that they lie in
     * @param  int  $memory  megabytes that the engine may use
     * @param  string  $temporary  folder for what does not fit into memory, and for files that were fetched
     * @param  int  $fetched  megabytes of files of a store that stay on this machine
     */
    public function __construct(public string $system, public string|ObjectStore $place, public int $memory, public int $threads, public string $temporary, public int $fetched = 10_000)
    {
    }

    /** The place in full, for people. */
    public function where(): string
    {
        return is_string($this->place) ? $this->place : rtrim($this->place->where(''), '/');
    }

    public function store(): Store
    {
        if (! is_string($this->place)) {
            return new ObjectFiles($this->system, $this->place, $this->drop(), $this->fetched << 20);
        }

        // The adapter makes a folder that is not there unless it is told to wait; one that is not mounted must stay missing.
        return new FolderFiles($this->system, $this->place, new Filesystem(new LocalFilesystemAdapter($this->place, new PortableVisibilityConverter, LOCK_SH, LocalFilesystemAdapter::SKIP_LINKS, null, true)));
    }

    public function engine(): Engine
    {
        return new Engine([is_string($this->place) ? $this->place : $this->drop()], $this->memory, $this->threads, $this->temporary);
    }

    /** Where fetched files lie. */
    private function drop(): string
    {
        return is_string($this->place) ? $this->place : "{$this->temporary}/files-{$this->place->id()}";
    }
}
