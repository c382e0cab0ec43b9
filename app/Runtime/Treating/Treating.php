<?php

declare(strict_types=1);

namespace App\Runtime\Treating;

use App\Models\MaskKey;
use App\Models\System;
use App\Runtime\Common\Systems;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Record\Bounds;
use Lighterman\Core\Treatment\Line;
use Lighterman\Core\Treatment\LookupTable;
use Lighterman\Core\Treatment\Reach;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Treater;
use Lighterman\Core\Treatment\Value\Sought;
use Lighterman\Core\Trouble\MissingTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/** Makes what treats the records of a feed. */
final class Treating
{
    /** @return Treater|null null where nothing is done to them */
    public static function of(FeedDefinition $definition, string $sourceName, int $run): ?Treater
    {
        return $definition->treatment->isEmpty() ? null : new Treater(self::compiled($definition), $definition->treatment, self::stamps($sourceName, $run));
    }

    /** What the target can hold of records as they are read. What is converted or left out on the way need not fit as it is. */
    public static function bounds(FeedDefinition $definition, System $target): Bounds
    {
        $plain = array_filter($definition->treatment->sheet($definition->carried()), static fn (Line $l): bool => $l->from !== null && ! $l->drop && $l->steps === [] && $l->from !== $definition->treatment->explode?->column);

        return Bounds::of($definition->carried(), $target->keepsFiles(), (int) config('lighterman.value_bytes'), array_values(array_map(static fn (Line $l): string => (string) $l->from, $plain)));
    }

    public static function compiled(FeedDefinition $definition): RowCompiler
    {
        return new RowCompiler($definition->carried(), $definition->treatment, new Reach(MaskKey::secretOf(...), self::table(...)));
    }

    /** @throws SystemTrouble if there is no such system */
    public static function table(Sought $in): LookupTable
    {
        $system = System::where('name', $in->system)->first() ?? throw MissingTrouble::system($in->system, (string) $in->table);

        return app(Systems::class)->source($system)->lookup($in->table, $in->match, $in->take);
    }

    /** @return array<string, string> */
    public static function stamps(string $sourceName, int $run): array
    {
        $now = now('UTC');

        return ['source_name' => $sourceName, 'run' => (string) $run, 'load_year' => $now->format('Y'), 'load_month' => $now->format('n'), 'load_day' => $now->format('Y-m-d')];
    }
}
