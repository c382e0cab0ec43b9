<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Lake;

use Lighterman\Connectors\Engine\EngineError;
use Lighterman\Core\Format\UnfitValue;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\LandedTrouble;
use Lighterman\Core\Trouble\StatementTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/** What is told of a table that the engine, or a format, could not write as it was to. */
final class Refusal
{
    public static function of(EngineError|UnfitValue $e, TableName $table): SystemTrouble
    {
        $said = rtrim($e->getMessage(), '.');

        return match (true) {
            $e instanceof UnfitValue => LandedTrouble::unfitValue($table, "{$said}."),
            str_contains($said, 'No space left') => StatementTrouble::diskFull((string) $table, "{$table}: the disk of the lake is full", 'the lake'),
            str_starts_with($said, 'Out of Memory'), str_contains($said, 'failed to allocate'), str_contains($said, 'failed to pin') => StatementTrouble::outOfMemory((string) $table, "{$table}: the engine's memory does not suffice ({$said})", 'Give it more (LIGHTERMAN_LAKE_MEMORY_MB, 160 unless said), or leave columns out: each needs about 0.2 MB.'),
            str_starts_with($said, 'Conversion Error'), str_starts_with($said, 'Out of Range Error') => LandedTrouble::unfitValue($table, "{$said}."),
            default => StatementTrouble::refused((string) $table, "{$table}: {$said}"),
        };
    }
}
