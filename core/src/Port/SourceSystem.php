<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Capture\BoundNote;
use Lighterman\Core\Capture\ReadPlan;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Guarantee\SourceCapabilities;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Treatment\LookupTable;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * A system that rows come from. Every method may throw SystemTrouble.
 */
interface SourceSystem
{
    /** @return list<Finding> */
    public function check(): array;

    public function capabilities(): SourceCapabilities;

    /** @return list<CatalogueEntry> every table the account may read */
    public function catalogue(): array;

    /** @throws SystemTrouble with reason `no_table` when it does not exist or may not be seen */
    public function shape(TableName $table): Shape;

    /**
     * @return list<array<string, string|null>> rows as the source renders them
     */
    public function sample(TableName $table, int $rows): array;

    /** What the source's catalogue says now of a table; null where it keeps nothing by which a replaced one is told. */
    public function identity(TableName $table): ?TableIdentity;

    /**
     * Some rows of a feed's source, as the feed reads them.
     *
     * @return list<list<string|null>> in the order of the carried columns
     */
    public function some(FeedDefinition $definition, Sampling $which, int $rows): array;

    /** A table to look values up in; nothing is read until something is asked for. */
    public function lookup(TableName $table, Column $match, Column $take): LookupTable;

    /**
     * What the table's data says about columns that might serve as watermark or key. Reads statistics and a bounded number of rows.
     *
     * @param  list<string>  $key  columns proposed as key; empty takes the primary key
     * @param  array<string, mixed>  $files  what is said of how files are read, in the words of a definition; the rest is found out
     */
    public function facts(TableName $table, array $key = [], array $files = []): TableFacts;

    /** Rows that the feed's source holds now. */
    public function count(FeedDefinition $definition): int;

    /** Rows without a watermark value, which no window will ever bring. */
    public function withoutWatermark(FeedDefinition $definition): int;

    /**
     * One row by key values given as text, in the columns' order; null when there is none.
     *
     * @param  array<string, string>  $key
     * @return array<string, string|null>|null
     */
    public function row(FeedDefinition $definition, array $key): ?array;

    /**
     * Fixes what the next run will read. Cheap, and cheapest when there is nothing.
     *
     * @param  TakenFiles|null  $taken  what capture `files` has taken before; null for nothing
     */
    public function plan(FeedDefinition $definition, Position $from, ?BoundNote $note, ?TakenFiles $taken = null): ReadPlan;

    public function reader(FeedDefinition $definition, ReadPlan $plan): BatchReader;
}
