<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Guarantee\TargetCapabilities;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;

/** A system that rows are landed in. Every method may throw SystemTrouble. */
interface TargetSystem
{
    /** @return list<Finding> */
    public function check(): array;

    public function capabilities(): TargetCapabilities;

    /**
     * Compares what the feed will write with what is there. Writes nothing.
     *
     * @param  string|null  $feed  its lasting id; null for one that is yet to be made
     */
    public function prepare(LandedTable $landed, ?string $feed = null): Preparation;

    /**
     * Compares what a changed feed will write with what is there. Writes nothing.
     *
     * @param  array<string, array<string, string>>  $renamed  landed columns by the name they had, by fork, an empty name for the feed's own table
     * @return Preparation with the statements that alter the table without touching its rows' values
     */
    public function prepareChange(LandedTable $landed, array $renamed): Preparation;

    /**
     * Runs statements of prepareChange(), all or none.
     *
     * @param  list<string>  $statements
     */
    public function alter(array $statements): void;

    /**
     * What would be run to write a record into the landed table as it is. Writes nothing.
     *
     * @param  list<string|null>  $row  in the order of the landed columns
     */
    public function explain(LandedTable $landed, array $row): string;

    /**
     * Begins to land. Whoever had landed for the same feed or route before is ended.
     *
     * @throws LeaseLost when a newer token has been seen
     */
    public function landing(Holder $holder): LandingSession;

    /**
     * Tries whether records could be written, as far as that is for what each of them holds. Writes nothing.
     *
     * @param  string  $encoded  lines in the text form of COPY, in the order of the table's shape
     * @return SystemTrouble|null why not; null where they could
     */
    public function refuses(LandedTable $landed, string $encoded): ?SystemTrouble;

    /**
     * Looks whether what a feed has landed is still there, though nothing lands now.
     *
     * @return int number of the last receipt that stands beside it; smaller than it was where an older state was put back
     *
     * @throws SystemTrouble as LandingSession::admit() has it
     */
    public function demandKept(LandedTable $landed, string $feed): int;

    /**
     * Forgets a feed: its position and receipts, and the landed tables that Lighterman created. All or nothing.
     */
    public function discard(string $feed): void;

    public function count(TableName $table): int;

    /** @return array<string, KeptTable> every table there is, by name, as far as the target knows without counting */
    public function kept(): array;

    /** What a table consists of; null where the target keeps no files, or has no such table yet. */
    public function files(TableName $table): ?KeptFiles;

    /**
     * @param  array<string, string>  $key
     * @return array<string, string|null>|null
     */
    public function row(TableName $table, array $key): ?array;

    /**
     * Every change to one key that the landed table keeps; for landings that keep them.
     *
     * @param  array<string, string>  $key  column → value as text
     */
    public function history(LandedTable $landed, array $key, int $most): LandedHistory;
}
