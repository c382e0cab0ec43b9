<?php

declare(strict_types=1);

namespace Lighterman\Core\Position;

/**
 * So many files have been taken. A position says which of them came with the unit that led to it, so that the receipts of a
 * feed together name them all.
 */
final readonly class FilesPosition extends Position
{
    /** @param  list<FileMark>  $files */
    public function __construct(public int $taken, private array $files)
    {
    }

    /**
     * Where a feed stands once some more are taken.
     *
     * @param  list<FileMark>  $files
     */
    public static function after(Position $before, array $files): self
    {
        return new self(($before instanceof self ? $before->taken : 0) + count($files), $files);
    }

    public function isLoading(): bool
    {
        return false;
    }

    public function files(): array
    {
        return $this->files;
    }

    public function also(array $before): self
    {
        return new self($this->taken, [...$before, ...$this->files]);
    }

    public function bare(): self
    {
        return new self($this->taken, []);
    }

    public function __toString(): string
    {
        return ($this->taken === 1 ? '1 file' : "{$this->taken} files").($this->files === [] ? '' : ', to '.$this->files[count($this->files) - 1]->path);
    }

    public function toArray(): array
    {
        return ['phase' => 'files', 'taken' => $this->taken, 'files' => array_map(static fn (FileMark $f): array => $f->toArray(), $this->files)];
    }
}
