<?php

declare(strict_types=1);

namespace Lighterman\Core\Position;

/** Every change up to a place in the stream has landed; while a load goes on beside the changes, of the rows it has read so far. */
final readonly class StreamPosition extends Position
{
    /**
     * @param  string  $place  as the stream that gave it reads it
     * @param  list<string>|null  $key  the last one loaded
     */
    private function __construct(public string $place, private bool $loading, private ?array $key)
    {
    }

    public static function at(string $place): self
    {
        return new self($place, false, null);
    }

    /** @param  list<string>|null  $key  last key loaded; null before the first row */
    public static function loading(string $place, ?array $key): self
    {
        return new self($place, true, $key);
    }

    /** The same state of loading at a later place. */
    public static function after(Position $before, string $place): self
    {
        return new self($place, $before->isLoading(), $before->loadedTo());
    }

    public function isLoading(): bool
    {
        return $this->loading;
    }

    public function loadedTo(): ?array
    {
        return $this->key;
    }

    public function __toString(): string
    {
        return "log {$this->place}".($this->loading ? ', load '.($this->key === null ? 'begun' : 'to ('.implode(', ', $this->key).')') : '');
    }

    public function toArray(): array
    {
        return $this->loading ? ['phase' => 'log load', 'place' => $this->place, 'key' => $this->key] : ['phase' => 'log', 'place' => $this->place];
    }
}
