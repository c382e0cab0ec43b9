<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Port\Finding;

/** How a column that is there fits what a feed brings for it. */
final readonly class Fit
{
    /** @param  string|null  $statement  what makes it fit; null where it does, or where nothing is known to */
    private function __construct(public Finding $finding, public ?string $statement, public bool $gentle)
    {
    }

    public static function good(string $column, string $said): self
    {
        return new self(Finding::passed($column, $said), null, true);
    }

    /**
     * @param  bool  $gentle  whether rows that are there keep their values by the statement
     * @param  string  $otherwise  what else may be done, after the statement
     */
    public static function bad(string $column, string $said, string $statement, bool $gentle, string $otherwise = ''): self
    {
        return new self(Finding::failed($column, $said, "{$statement};{$otherwise}"), $statement, $gentle);
    }
}
