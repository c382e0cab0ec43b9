<?php

declare(strict_types=1);

namespace Lighterman\Core\Position;

/** A file as it was found, by what tells that it has changed since, and what was taken of it. */
final readonly class FileMark
{
    /**
     * @param  string  $path  below the system's folder
     * @param  int  $size  bytes
     * @param  string  $modified  ISO 8601, UTC, whole seconds
     * @param  string|null  $checksum  of its bytes (xxh128); null where none was wanted
     * @param  int  $rows  taken of it
     * @param  int  $setAside  of its records, or 1 for the file as a whole
     */
    public function __construct(public string $path, public int $size, public string $modified, public ?string $checksum = null, public int $rows = 0, public int $setAside = 0)
    {
    }

    /** Whether it is the file that was marked, as far as can be told without another mark's checksum. */
    public function isSame(self $earlier): bool
    {
        return $this->path === $earlier->path && $this->size === $earlier->size
            && ($this->modified === $earlier->modified || ($this->checksum !== null && $this->checksum === $earlier->checksum));
    }

    public function taken(int $rows, int $setAside, ?string $checksum): self
    {
        return new self($this->path, $this->size, $this->modified, $checksum, $rows, $setAside);
    }

    public function withChecksum(string $checksum): self
    {
        return new self($this->path, $this->size, $this->modified, $checksum, $this->rows, $this->setAside);
    }

    /** @return list<string|int|null> */
    public function toArray(): array
    {
        return [$this->path, $this->size, $this->modified, $this->checksum, $this->rows, $this->setAside];
    }

    /** @param  list<mixed>  $data  as toArray() gives it */
    public static function fromArray(array $data): self
    {
        return new self(...$data);
    }
}
