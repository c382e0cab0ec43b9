<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;

/** The change log of a source, read for one route under one name. */
interface ChangeLog
{
    /**
     * What the log needs in order to be read for these tables. Changes nothing.
     *
     * @param  list<TableName>  $tables
     * @return list<Finding> each that failed with the exact statement that helps
     */
    public function check(array $tables): array;

    /**
     * What ensure() would run at the source, as far as it is not there yet.
     *
     * @param  list<TableName>  $tables
     * @return list<string>
     */
    public function statements(array $tables): array;

    /**
     * Tables whose changes are not recorded as they should be: taken out, disabled, or recorded by something older than
     * the table's shape. ensure() puts it right; what changed meanwhile is known to nobody.
     *
     * @param  list<TableName>  $tables
     * @return array<string, string> what is amiss, by table
     */
    public function amiss(array $tables): array;

    /**
     * Creates what is missing and takes in the tables.
     *
     * @param  list<TableName>  $tables
     * @param  bool  $begin  whether reading begins now; later, what the source keeps for this route must be there
     * @param  Place|null  $after  that whatever begins now has to come after
     * @return Place from which changes of all these tables are in the log
     *
     * @throws SystemTrouble naming the statement to run where the account may not
     */
    public function ensure(array $tables, bool $begin, ?Place $after = null): Place;

    /** @param  list<TableName>  $tables that are read no more */
    public function leave(array $tables): void;

    /** Removes everything that ensure() made at the source. */
    public function remove(): void;

    /** @return LogState|null null when the source keeps nothing for this route */
    public function state(?Place $read = null): ?LogState;

    /**
     * @param  Place|null  $read  up to which it has been read
     *
     * @throws SystemTrouble with reason `slot_gone` or `slot_lost` when what reading needs is there no more
     */
    public function required(?Place $read = null): LogState;

    /** Opens it for reading; whoever reads it under the same name is ended first, since the caller has taken over. */
    public function open(?Place $from): LogReader;

    /**
     * A place that this stream has given, from its text.
     *
     * @throws SystemTrouble with reason `no_place` if it is none
     */
    public function place(string $text): Place;

    /**
     * Has a mark come back through the reader, in a transaction of its own.
     *
     * @param  bool  $after  whether everything committed before this call comes before the mark; otherwise everything
     *                       committed after this call comes after it
     */
    public function mark(string $content, bool $after): void;

    /**
     * The next rows of a slice of a table in key order.
     *
     * @throws SystemTrouble
     */
    public function chunk(FeedDefinition $definition, Slice $slice, int $rows): LoadChunk;

    /**
     * Which keys come no later than another in the order in which chunks are read, by the source's own comparison.
     *
     * @param  list<string>  $reached
     * @param  list<list<string>>  $keys
     * @return list<bool>
     */
    public function passed(FeedDefinition $definition, array $reached, array $keys): array;

    /**
     * The feeds whose rows may share a key until a transaction ends, since the source does not check it at every statement.
     *
     * @param  array<int, FeedDefinition>  $definitions
     * @return list<int> their numbers
     */
    public function sharing(array $definitions): array;

    /**
     * What the source's catalogue says now of tables and of what records their changes.
     *
     * @param  list<TableName>  $tables
     * @return array<string, TableIdentity> by table; those that are not there are left out
     */
    public function identities(array $tables): array;

    /** The statement after which each change of a table says every value of its row; null where it does anyway. */
    public function statementForWholeRows(TableName $table): ?string;

    public function clock(): ClockOffset;

    /**
     * Whether one of these transactions is committed in the log but not yet visible, waiting for a synchronous standby.
     *
     * @param  list<int>  $transactions
     */
    public function lingering(array $transactions): bool;
}
