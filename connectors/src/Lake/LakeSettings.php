<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\Engine;

/** Where a lake lies on this machine, and what the engine that reads and writes it may use. */
final readonly class LakeSettings
{
    /**
     * @param  string  $path  the lake's folder, absolute
     * @param  int  $memory  megabytes that the engine may use
     * @param  string  $temporary  folder for what does not fit into memory
     */
    public function __construct(public string $system, public string $path, public int $memory, public int $threads, public string $temporary)
    {
    }

    /** @param  bool  $ordered  whether rows keep the order in which they are read */
    public function engine(bool $ordered = false): Engine
    {
        return new Engine([$this->path], $this->memory, $this->threads, $this->temporary, $ordered);
    }

    public function folder(): Folder
    {
        return new Folder($this->system, rtrim($this->path, '/'));
    }
}
