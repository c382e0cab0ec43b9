<?php

declare(strict_types=1);

namespace Lighterman\Core\Position;

use InvalidArgumentException;

/**
 * Where a feed has got to.
 *
 * Captures by query have three phases that follow each other:
 *
 * - `start`: nothing has landed.
 * - `load`: the first load walks the table in key order; `key` is the last key landed and `until` the bound below
 *   which rows belong to the load, so that increments take over from exactly there.
 * - `after`: every row before (`watermark`, `key`) has landed. The key says how much of the watermark's own value is
 *   covered: null none of it, an empty list all of it, values the rows up to that key. In the middle of a window
 *   `until` is the bound that the window was given at its start, and `seenAt` the source's clock when it was given.
 *
 * Captures of changes stand at a place in the log, `log`: everything committed before it has landed. While a first load
 * goes on beside the changes the phase is `log load`, and `key` the last key loaded.
 *
 * A capture of files has taken `taken` files so far, phase `files`; a position says which of them came with the unit that led
 * to it, so that the receipts of a feed together name them all.
 *
 * Values are kept as the text the source rendered (ISO dates, UTC, exact decimals), so that nothing is rounded.
 */
final readonly class Position
{
    /**
     * @param  'start'|'load'|'after'|'log'|'log load'|'files'  $phase
     * @param  list<string>|null  $key
     * @param  list<FileMark>  $files
     */
    private function __construct(
        public string $phase,
        public ?string $watermark = null,
        public ?array $key = null,
        public ?string $until = null,
        public ?string $seenAt = null,
        public ?string $place = null,
        public int $taken = 0,
        public array $files = [],
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

    /** @param  string  $place  as the source writes places in its log */
    public static function log(string $place): self
    {
        return new self('log', place: $place);
    }

    /** @param  list<string>|null  $key last key loaded; null before the first row */
    public static function logLoading(string $place, ?array $key): self
    {
        return new self('log load', key: $key, place: $place);
    }

    /**
     * Where a capture of files stands once some more are taken.
     *
     * @param  list<FileMark>  $files
     */
    public function taking(array $files): self
    {
        return new self('files', taken: $this->taken + count($files), files: $files);
    }

    /**
     * The same place, reached by a unit that took other files before.
     *
     * @param  list<FileMark>  $before
     */
    public function also(array $before): self
    {
        return $before === [] ? $this : new self($this->phase, taken: $this->taken, files: [...$before, ...$this->files]);
    }

    /** The same place, without the files that were taken last. */
    public function bare(): self
    {
        return $this->files === [] ? $this : new self($this->phase, taken: $this->taken);
    }

    /** The same state of loading at a later place in the log. */
    public function at(string $place): self
    {
        return $this->isLoading() ? self::logLoading($place, $this->key) : self::log($place);
    }

    public function isLoading(): bool
    {
        return ! in_array($this->phase, ['after', 'log', 'files'], true);
    }

    public function equals(self $other): bool
    {
        return $this->phase === 'files' ? $other->phase === 'files' && $this->taken === $other->taken : $this->toArray() === $other->toArray();
    }

    public function __toString(): string
    {
        $key = $this->key ? '('.implode(', ', $this->key).')' : '';

        return match ($this->phase) {
            'start' => 'start',
            'load' => 'load '.($key === '' ? 'begun' : "to {$key}"),
            'after' => trim(($this->watermark ?? 'end of the table').' '.$key),
            'log' => "log {$this->place}",
            'files' => ($this->taken === 1 ? '1 file' : "{$this->taken} files").($this->files === [] ? '' : ', to '.$this->files[count($this->files) - 1]->path),
            'log load' => "log {$this->place}, load ".($key === '' ? 'begun' : "to {$key}"),
        };
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        if ($this->phase === 'files') {
            return ['phase' => 'files', 'taken' => $this->taken, 'files' => array_map(static fn (FileMark $f): array => $f->toArray(), $this->files)];
        }
        if ($this->place !== null) {
            return ['phase' => $this->phase, 'place' => $this->place] + ($this->phase === 'log load' ? ['key' => $this->key] : []);
        }

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
        if (! in_array($phase, ['start', 'load', 'after', 'log', 'log load', 'files'], true)) {
            throw new InvalidArgumentException('A position has one of the phases start, load, after, log, log load and files.');
        }

        return new self($phase, $data['watermark'] ?? null, $data['key'] ?? null, $data['until'] ?? null, $data['seenAt'] ?? null, $data['place'] ?? null, $data['taken'] ?? 0, array_values(array_map(FileMark::fromArray(...), $data['files'] ?? [])));
    }

    public static function fromJson(string $json): self
    {
        return self::fromArray(json_decode($json, true, 16, JSON_THROW_ON_ERROR));
    }
}
