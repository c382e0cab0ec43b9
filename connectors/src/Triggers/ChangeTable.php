<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Triggers;

use Generator;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Port\LoadChunk;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * The table in a source into which triggers write changes for one route, and the triggers that do. Every method may throw
 * SystemTrouble.
 */
interface ChangeTable
{
    /**
     * Whether the account may make it and the triggers. Changes nothing.
     *
     * @param  list<TableName>  $tables
     * @return list<Finding>
     */
    public function findings(array $tables): array;

    /** As it is named at the source. */
    public function name(): string;

    public function exists(): bool;

    /**
     * @param  int  $first  number of the first reading
     * @return list<string>
     */
    public function tableStatements(int $first = 0): array;

    /** @return list<string> what makes the triggers of a table, after those that are there were removed */
    public function triggerStatements(TableName $table): array;

    public function create(int $first): void;

    /**
     * Compares the triggers with those that the tables need as they are now.
     *
     * @param  list<TableName>  $tables
     * @return array<string, string> what is amiss, by table: a trigger is missing, disabled, or older than the table's shape
     */
    public function amiss(array $tables): array;

    /**
     * Makes the triggers of a table anew. From the return on every change is recorded.
     *
     * @throws SystemTrouble that may pass, when transactions that are open keep the table from being touched
     */
    public function install(TableName $table): void;

    public function uninstall(TableName $table): void;

    /** Removes all of it. */
    public function drop(): void;

    /** Size with indexes. */
    public function bytes(): int;

    /** @return Reading|null null when it was forgotten or has not been made */
    public function reading(int $number): ?Reading;

    /** The reading made last. */
    public function last(): Reading;

    /**
     * The reading after another: the one that was written down before a crash, else a new one.
     *
     * @return Reading|null null when nothing was committed since
     */
    public function after(Reading $reading): ?Reading;

    /**
     * What was committed between two readings that follow each other, in an order that keeps the changes of a key in the
     * order of their commits.
     *
     * @return Generator<int, StoredChange>
     */
    public function between(Reading $before, Reading $upTo): Generator;

    /** Removes the changes up to a reading, and the readings before it. */
    public function forget(Reading $upTo): void;

    public function clock(): ClockOffset;

    public function chunk(FeedDefinition $definition, Slice $slice, int $rows): LoadChunk;

    /**
     * @param  list<string>  $reached
     * @param  list<list<string>>  $keys
     * @return list<bool>
     */
    public function passed(FeedDefinition $definition, array $reached, array $keys): array;

    /**
     * @param  array<int, FeedDefinition>  $definitions
     * @return list<int>
     */
    public function sharing(array $definitions): array;

    /**
     * @param  list<TableName>  $tables
     * @return array<string, TableIdentity>
     */
    public function identities(array $tables): array;
}
