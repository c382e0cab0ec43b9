<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Closure;
use Lighterman\Connectors\Engine\Engine;
use Lighterman\Connectors\Objects\ObjectStore;

/** Where a lake lies, and what the engine that reads and writes it may use. */
final readonly class LakeSettings
{
    /**
     * @param  string|ObjectStore  $place  the lake's folder on this machine, absolute, or the store that it lies in
     * @param  int  $memory  megabytes that the engine may use
     * @param  string  $temporary  folder for what does not fit into memory, and for files of a store on their way
     * @param  int  $fetched  megabytes of files of a store that stay on this machine
     */
    public function __construct(public string $system, public string|ObjectStore $place, public int $memory, public int $threads, public string $temporary, public int $fetched = 10_000)
    {
    }

    /**
     * @param  bool  $ordered  whether rows keep the order in which they are read
     * @param  list<string>  $further  absolute folders that it may use besides the lake's
     * @param  (Closure(): void)|null  $alive  called about once a second while it works
     * @param  bool  $wide  whether rows have so many columns that only one may be worked on at a time
     */
    public function engine(bool $ordered = false, array $further = [], ?Closure $alive = null, bool $wide = false): Engine
    {
        $own = is_string($this->place) ? [$this->place] : [ObjectFolder::fetchedIn($this->temporary, $this->place), ObjectFolder::madeIn($this->temporary, $this->place)];

        return new Engine([...$own, ...$further], $this->memory, $wide ? 1 : $this->threads, $this->temporary, $ordered, $alive);
    }

    public function folder(): Folder
    {
        return is_string($this->place) ? new LocalFolder($this->system, rtrim($this->place, '/')) : new ObjectFolder($this->system, $this->place, $this->temporary, $this->fetched << 20);
    }

    /** @return array<string, mixed> for another process */
    public function toArray(): array
    {
        return ['place' => is_string($this->place) ? $this->place : get_object_vars($this->place)] + get_object_vars($this);
    }

    /** @param  array<string, mixed>  $data  as toArray() gives it */
    public static function fromArray(array $data): self
    {
        return new self(...['place' => is_string($data['place']) ? $data['place'] : new ObjectStore(...$data['place'])] + $data);
    }
}
