<?php

declare(strict_types=1);

namespace Lighterman\Core\Position;

/** Where a feed stands that is read by query: in its first load, or behind a watermark. */
abstract readonly class QueryPosition extends Position
{
    /**
     * @param  list<string>|null  $key  of the last row landed; null before the first one
     * @param  string|null  $until  the bound that the load or window was given at its start, while it goes on
     * @param  string|null  $seenAt  the source's clock when that was given
     */
    public function __construct(public ?array $key, public ?string $until, public ?string $seenAt)
    {
    }

    /** @return array<string, mixed> */
    protected function written(string $phase, ?string $watermark): array
    {
        return ['phase' => $phase, 'watermark' => $watermark, 'key' => $this->key, 'until' => $this->until, 'seenAt' => $this->seenAt];
    }

    protected function row(): string
    {
        return $this->key ? '('.implode(', ', $this->key).')' : '';
    }
}
