<?php

declare(strict_types=1);

namespace Lighterman\Core\Position;

use InvalidArgumentException;

/**
 * Where a feed has got to. Three phases follow each other:
 *
 * - `start`: nothing has landed.
 * - `load`: the first load walks the table in key order; `key` is the last key landed and `until` the bound below
 *   which rows belong to the load, so that increments take over from exactly there.
 * - `after`: every row before (`watermark`, `key`) has landed. The key says how much of the watermark's own value is
 *   covered: null none of it, an empty list all of it, values the rows up to that key. In the middle of a window
 *   `until` is the bound that the window was given at its start, and `seenAt` the source's clock when it was given.
 *
 * Values are kept as the text the source rendered (ISO dates, UTC, exact decimals), so that nothing is rounded.
 */
final readonly class Position
{
    /**
     * @param  'start'|'load'|'after'  $phase
     * @param  list<string>|null  $key
     */
    private function __construct(
        public string $phase,
        public ?string $watermark = null,
        public ?array $key = null,
        public ?string $until = null,
        public ?string $seenAt = null,
    ) {
    }

    public static function start(): self
    {
        return new self('start');
    }

    /** @param  list<string>|null  $key null before the first row of the load */
    public static function loading(?string $until, ?array $key, ?string $seenAt = null): self
    {
        return new self('load', null, $key, $until, $seenAt);
    }

    /**
     * @param  list<string>|null  $key
     * @param  string|null  $until  only in the middle of a window, with `seenAt`
     */
    public static function after(?string $watermark, ?array $key = null, ?string $until = null, ?string $seenAt = null): self
    {
        return new self('after', $watermark, $key, $until, $seenAt);
    }

    public function isLoading(): bool
    {
        return $this->phase !== 'after';
    }

    public function equals(self $other): bool
    {
        return $this->toArray() === $other->toArray();
    }

    public function __toString(): string
    {
        $key = $this->key ? '('.implode(', ', $this->key).')' : '';

        return match ($this->phase) {
            'start' => 'start',
            'load' => 'load '.($key === '' ? 'begun' : "to {$key}"),
            'after' => trim(($this->watermark ?? 'end of the table').' '.$key),
        };
    }

    /** @return array{phase: string, watermark: string|null, key: list<string>|null, until: string|null, seenAt: string|null} */
    public function toArray(): array
    {
        return ['phase' => $this->phase, 'watermark' => $this->watermark, 'key' => $this->key, 'until' => $this->until, 'seenAt' => $this->seenAt];
    }

    public function toJson(): string
    {
        return json_encode($this->toArray(), JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES);
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidArgumentException if the phase is unknown
     */
    public static function fromArray(array $data): self
    {
        $phase = $data['phase'] ?? null;
        if (! in_array($phase, ['start', 'load', 'after'], true)) {
            throw new InvalidArgumentException('A position has one of the phases start, load and after.');
        }

        return new self($phase, $data['watermark'] ?? null, $data['key'] ?? null, $data['until'] ?? null, $data['seenAt'] ?? null);
    }

    public static function fromJson(string $json): self
    {
        return self::fromArray(json_decode($json, true, 16, JSON_THROW_ON_ERROR));
    }
}
