<?php

declare(strict_types=1);

namespace Lighterman\Core\Position;

/**
 * Where a feed has got to: at its start, by query, by changes or by files.
 *
 * Values are kept as the text the source rendered (ISO dates, UTC, exact decimals), so that nothing is rounded.
 */
abstract readonly class Position
{
    /** Whether anything has landed. */
    public function hasBegun(): bool
    {
        return true;
    }

    /** Whether the first load, or a load once more beside the changes, has not come to its end. */
    abstract public function isLoading(): bool;

    /** @return list<string>|null the last key that a load has landed; null before its first row, and where none goes on */
    public function loadedTo(): ?array
    {
        return null;
    }

    /** @return list<FileMark> taken by the unit that led here */
    public function files(): array
    {
        return [];
    }

    /**
     * The same place, reached by a unit that took other files before.
     *
     * @param  list<FileMark>  $before
     */
    public function also(array $before): self
    {
        return $this;
    }

    /** The same place, without the files that were taken last. */
    public function bare(): self
    {
        return $this;
    }

    public function equals(self $other): bool
    {
        return $this->bare()->toArray() === $other->bare()->toArray();
    }

    abstract public function __toString(): string;

    /** @return array<string, mixed> which Positions reads again */
    abstract public function toArray(): array;

    public function toJson(): string
    {
        return json_encode($this->toArray(), JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES);
    }
}
