<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

/** One change to a key as it stands in the target. */
final readonly class LandedEntry
{
    /**
     * @param  string  $kind  load, insert, update, delete or truncate
     * @param  string  $place  orders the changes
     * @param  string  $madeAt  ISO 8601, the source's clock at the commit
     * @param  string|null  $landedAt  the target's clock; null where the landing does not stamp it
     * @param  array<string, string|null>  $values  by column
     * @param  list<string>  $notSent  columns whose value the source did not send, since it did not change
     */
    public function __construct(public string $kind, public string $place, public string $madeAt, public ?string $landedAt, public array $values, public array $notSent)
    {
    }
}
