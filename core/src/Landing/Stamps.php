<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

/** Landed columns that say when and from where a record came, by the names they are to have; null for none. */
final readonly class Stamps
{
    /**
     * @param  string|null  $deliveredAt  holds the time of delivery
     * @param  string|null  $sourcePosition  holds the position that the record's batch led to
     */
    public function __construct(public ?string $deliveredAt = 'delivered_at', public ?string $sourcePosition = 'source_position')
    {
    }

    /** @param  array<string, string|null>  $said  what is not said has its usual name */
    public static function fromArray(array $said): self
    {
        $usual = new self;

        return new self(
            array_key_exists('delivered_at', $said) ? $said['delivered_at'] : $usual->deliveredAt,
            array_key_exists('source_position', $said) ? $said['source_position'] : $usual->sourcePosition,
        );
    }

    /** @return array{delivered_at: string|null, source_position: string|null} */
    public function toArray(): array
    {
        return ['delivered_at' => $this->deliveredAt, 'source_position' => $this->sourcePosition];
    }

    /** @return array<string, string> column by what it holds, only those wanted */
    public function wanted(): array
    {
        return array_filter($this->toArray(), static fn (?string $n): bool => $n !== null);
    }
}
