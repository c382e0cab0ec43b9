<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

/**
 * A number seen as the greatest value at a time, waiting until every transaction open at that time has ended. Until then
 * a row with a smaller number may still be committed, so the number must not bound a window.
 */
final readonly class BoundNote
{
    public function __construct(public string $bound, public string $seenAt)
    {
    }

    /** @return array{bound: string, seenAt: string} */
    public function toArray(): array
    {
        return ['bound' => $this->bound, 'seenAt' => $this->seenAt];
    }

    /** @param  array<string, string>|null  $data */
    public static function fromArray(?array $data): ?self
    {
        return $data === null ? null : new self($data['bound'], $data['seenAt']);
    }
}
