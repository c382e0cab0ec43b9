<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Capture\Slice;

/** A load of a table, or of a part of it, that a person or a gap wants and that has not come to its end. */
final readonly class AskedLoad
{
    /**
     * @param  bool  $mends  whether it puts right what may have been missed, so that the copy counts as whole only after it
     * @param  string|null  $asked  when a person asked for it, so that the same asked for twice is not one
     */
    public function __construct(public Slice $slice, public bool $mends = false, public bool $begun = false, public ?string $asked = null)
    {
    }

    /** One of the whole table that mends. */
    public static function mending(): self
    {
        return new self(Slice::whole(), true);
    }

    public function begun(): self
    {
        return new self($this->slice, $this->mends, true, $this->asked);
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return array_filter(['asked' => $this->asked, 'mends' => $this->mends ?: null, 'begun' => $this->begun ?: null], static fn (mixed $v): bool => $v !== null) + $this->slice->toArray();
    }

    /** @param  array<string, mixed>  $data  as toArray() gives it */
    public static function fromArray(array $data): self
    {
        return new self(Slice::fromArray($data), $data['mends'] ?? false, $data['begun'] ?? false, $data['asked'] ?? null);
    }
}
