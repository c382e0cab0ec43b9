<?php

declare(strict_types=1);

namespace App\Runtime\Treating;

use App\Models\MaskKey;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Treatment\RowCompiler;
use Lighterman\Core\Treatment\Treater;

/** Makes what treats the records of a feed. */
final class Treating
{
    /** @return Treater|null null where nothing is done to them */
    public static function of(FeedDefinition $definition, string $sourceName, int $run): ?Treater
    {
        return $definition->treatment->isEmpty() ? null : new Treater(self::compiled($definition), $definition->treatment, self::stamps($sourceName, $run));
    }

    public static function compiled(FeedDefinition $definition): RowCompiler
    {
        return new RowCompiler($definition->carried(), $definition->treatment, MaskKey::secretOf(...));
    }

    /** @return array<string, string> */
    public static function stamps(string $sourceName, int $run): array
    {
        $now = now('UTC');

        return ['source_name' => $sourceName, 'run' => (string) $run, 'load_year' => $now->format('Y'), 'load_month' => $now->format('n'), 'load_day' => $now->format('Y-m-d')];
    }
}
