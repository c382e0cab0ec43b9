<?php

declare(strict_types=1);

namespace Lighterman\Core\Position;

/**
 * A first load walks the table in key order. `key` is the last key landed, and `until` the bound below which rows belong to
 * the load, so that increments take over from exactly there.
 */
final readonly class LoadPosition extends QueryPosition
{
    /** @param  list<string>|null  $key */
    public function __construct(?string $until, ?array $key, ?string $seenAt = null)
    {
        parent::__construct($key, $until, $seenAt);
    }

    public function isLoading(): bool
    {
        return true;
    }

    public function loadedTo(): ?array
    {
        return $this->key;
    }

    public function __toString(): string
    {
        return 'load '.($this->row() === '' ? 'begun' : "to {$this->row()}");
    }

    public function toArray(): array
    {
        return $this->written('load', null);
    }
}
