<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Reading;

use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;

/** Columns whose type and name make them candidates for a watermark. */
final class Candidates
{
    /** @return list<string> likeliest first */
    public static function of(Shape $shape): array
    {
        $rank = static fn (Column $c): int => match (true) {
            ! $c->type->kind->canBeWatermark() => 9,
            $c->type->kind->isMoment() => preg_match('/upd|mod|chang|alter/i', $c->name) ? 0 : 1,
            $c->type->kind->isInteger() && $shape->key === [$c->name] => 2,
            default => 9,
        };
        $found = array_filter($shape->columns, static fn (Column $c): bool => $rank($c) < 9);
        usort($found, static fn (Column $a, Column $b): int => $rank($a) <=> $rank($b));

        return array_map(static fn (Column $c): string => $c->name, $found);
    }
}
