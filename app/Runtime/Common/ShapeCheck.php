<?php

declare(strict_types=1);

namespace App\Runtime\Common;

use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Shape\Shape;

/** The source's table must still have the agreed shape, as far as it is carried. */
final class ShapeCheck
{
    /** @throws ShapeMoved */
    public static function agreed(SourceSystem $source, FeedDefinition $definition): void
    {
        $now = $source->shape($definition->origin->table);
        $agreed = $definition->origin->shape;
        $ignored = $definition->origin->leaveOut;
        $difference = (new Shape($agreed->without($ignored)->columns, $agreed->key))->difference(new Shape($now->without($ignored)->columns, $now->key));
        if (! $difference->isEmpty()) {
            throw ShapeMoved::by($definition->origin->table, $difference);
        }
    }
}
