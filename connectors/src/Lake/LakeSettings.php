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

    /**
     * @param  bool  $ordered  whether rows keep the order in which they are read
     * @param  list<string>  $further  absolute folders that it may use besides the lake's
     */
    public function engine(bool $ordered = false, array $further = []): Engine
    {
        return new Engine([$this->path, ...$further], $this->memory, $this->threads, $this->temporary, $ordered);
    }

    public function folder(): Folder
    {
        return new LocalFolder($this->system, rtrim($this->path, '/'));
    }
}
