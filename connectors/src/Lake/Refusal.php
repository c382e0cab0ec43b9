<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\EngineError;
use Lighterman\Core\Format\UnfitValue;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Trouble\LandedTrouble;
use Lighterman\Core\Trouble\StatementTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/** What is told of a table that the engine, or a format, could not write as it was to. */
final class Refusal
{
    public static function of(EngineError|UnfitValue $e, LandedTable $landed): SystemTrouble
    {
        $table = $landed->name;
        $said = rtrim($e->getMessage(), '.');

        return match (true) {
            $e instanceof UnfitValue => LandedTrouble::unfitValue($table, "{$said}."),
            str_contains($said, 'No space left') => StatementTrouble::diskFull((string) $table, "{$table}: the disk of the lake is full", 'the lake'),
            str_starts_with($said, 'Out of Memory'), str_contains($said, 'failed to allocate'), str_contains($said, 'failed to pin') => StatementTrouble::outOfMemory((string) $table, "{$table}: the engine's memory does not suffice ({$said})", 'Set LIGHTERMAN_LAKE_MEMORY_MB to '.self::memory($landed).' or more and start Lighterman again, or leave columns out.'),
            str_starts_with($said, 'Conversion Error'), str_starts_with($said, 'Out of Range Error') => LandedTrouble::unfitValue($table, "{$said}."),
            default => StatementTrouble::refused((string) $table, "{$table}: {$said}"),
        };
    }

    /** Megabytes in which rows are merged by key, measured with 500 columns: the engine holds blocks of each of them. */
    public static function memory(LandedTable $landed): int
    {
        return max(160, 100 + count($landed->columns()));
    }
}
