<?php

declare(strict_types=1);

namespace Lighterman\Core\Position;

/**
 * Every row before (`watermark`, `key`) has landed. The key says how much of the watermark's own value is covered: null none
 * of it, an empty list all of it, values the rows up to that key. In the middle of a window there is an `until`.
 */
final readonly class WatermarkPosition extends QueryPosition
{
    /**
     * @param  string|null  $watermark  null where the whole table was read
     * @param  list<string>|null  $key
     */
    public function __construct(public ?string $watermark, ?array $key = null, ?string $until = null, ?string $seenAt = null)
    {
        parent::__construct($key, $until, $seenAt);
    }

    public function isLoading(): bool
    {
        return false;
    }

    public function __toString(): string
    {
        return trim(($this->watermark ?? 'end of the table').' '.$this->row());
    }

    public function toArray(): array
    {
        return $this->written('after', $this->watermark);
    }
}
