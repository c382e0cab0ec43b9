<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

/** What of a table a load reads: all of it, a range of keys, some keys, or a range of a column. */
final readonly class Slice
{
    /** Keys that one slice may name. */
    public const KEYS = 1000;

    /**
     * @param  list<string>|null  $after  key after which rows belong to it; null from the first
     * @param  list<string>|null  $until  last key that belongs to it; null to the last
     * @param  list<list<string>>|null  $keys  the only keys that belong to it; null where any does
     * @param  string|null  $column  by whose range rows are chosen; null where they are not
     * @param  string|null  $from  first value of the column; null for no bound
     * @param  string|null  $to  last value of the column; null for no bound
     */
    private function __construct(public ?array $after, public ?array $until, public ?array $keys = null, public ?string $column = null, public ?string $from = null, public ?string $to = null)
    {
    }

    public static function whole(): self
    {
        return new self(null, null);
    }

    /**
     * @param  list<string>|null  $after
     * @param  list<string>|null  $until
     */
    public static function range(?array $after, ?array $until): self
    {
        return new self($after, $until);
    }

    /** @param  list<list<string>>  $keys */
    public static function keys(array $keys): self
    {
        return new self(null, null, $keys);
    }

    public static function between(string $column, ?string $from, ?string $to): self
    {
        return new self(null, null, null, $column, $from, $to);
    }

    /** @param  list<string>|null  $key  what is left of it after this key; null for all of it */
    public function from(?array $key): self
    {
        return new self($key ?? $this->after, $this->until, $this->keys, $this->column, $this->from, $this->to);
    }

    public function isWhole(): bool
    {
        return $this->after === null && $this->until === null && $this->keys === null && $this->column === null;
    }

    public function __toString(): string
    {
        return match (true) {
            $this->keys !== null => count($this->keys) === 1 ? 'one key' : count($this->keys).' keys',
            $this->column !== null => "rows whose {$this->column} is ".match (true) {
                $this->from === null => "{$this->to} or less",
                $this->to === null => "{$this->from} or more",
                default => "from {$this->from} to {$this->to}",
            },
            $this->isWhole() => 'the table',
            default => 'a range of keys',
        };
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return array_filter(get_object_vars($this), static fn (mixed $v): bool => $v !== null);
    }

    /** @param  array<string, mixed>  $data */
    public static function fromArray(array $data): self
    {
        return new self($data['after'] ?? null, $data['until'] ?? null, $data['keys'] ?? null, $data['column'] ?? null, $data['from'] ?? null, $data['to'] ?? null);
    }
}
