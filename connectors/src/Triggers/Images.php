<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Triggers;

/** A row before and after a change. */
final readonly class Images
{
    /**
     * @param  list<string>  $columns
     * @param  list<string|null>|null  $before  null where there was none, or it is not known
     * @param  list<string|null>|null  $after
     */
    public function __construct(public array $columns, public ?array $before, public ?array $after)
    {
    }
}
