<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\Owner;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * Lighterman's own bookkeeping in a warehouse: positions and receipts, committed with the rows. A line of it is of a feed and
 * one of the tables that it lands in, or of a route; that of a feed's own table has the position.
 */
interface Ledger
{
    /** Makes what it is kept in, when absent; nobody else does so until the transaction under way is over. */
    public function ensure(): void;

    /** The table that a line stands for; null where there is no such line. */
    public function landedBy(string $line): ?string;

    /** The feed other than one that lands in a table; null where there is none. */
    public function otherOwner(TableName $landed, ?string $feed): ?Owner;

    /** Takes a table from every feed but that of a line, and fences off who lands for them. */
    public function takeOver(TableName $landed, string $line): void;

    /**
     * Marks the session as the holder's, and ends those of holders before it.
     *
     * @param  string  $of  lasting id of a feed or a route
     */
    public function supersede(string $of, int $token): void;

    /**
     * Takes a line for the holder of a token and gives its position.
     *
     * @param  TableName|null  $landed  null for a route, which stands for the place in the stream of all its feeds
     * @param  bool  $created  whether the landed table is being created for this feed now
     *
     * @throws LeaseLost when a newer token has been here
     */
    public function claim(string $line, int $token, ?TableName $landed, bool $created): Position;

    /**
     * Locks the holder's line for the transaction under way.
     *
     * @return array{now: string, position: Position} the warehouse's clock, and where the holder stands
     *
     * @throws LeaseLost|SystemTrouble
     */
    public function hold(string $of, int $token): array;

    /** The newest token that has been seen; 0 where none was. */
    public function newest(string $of): int;

    /** Keeps in the line what the catalogue calls the landed table now. */
    public function identify(string $line, TableName $landed): void;

    /**
     * The landed tables among some that are no longer those that were landed in, or no longer those of their line.
     *
     * @param  array<string, TableName>  $landed  by line
     * @return array<string, LandedIdentity> by line
     */
    public function strange(array $landed): array;

    /** Whether a feed has ever landed. */
    public function hasBegun(string $feed): bool;

    /** Number of a feed's last receipt; 0 before the first. */
    public function sequence(string $feed): int;

    public function move(string $of, Position $to): void;

    /**
     * Stores the receipts of several feeds and moves them on.
     *
     * @param  array<string, Receipt>  $receipts  by feed
     */
    public function store(array $receipts): void;

    /** @return list<Receipt> whose number is greater, in order */
    public function receiptsAfter(string $feed, int $sequence): array;

    /**
     * As LandingSession::tidyReceipts() says.
     *
     * @param  list<string>  $feeds
     */
    public function tidyReceipts(array $feeds, ?int $hours, int $days): void;

    /** @return list<string> the lines of a feed */
    public function lines(string $feed): array;

    /**
     * Takes a feed out, with its receipts.
     *
     * @return list<TableName> the tables that had been created for it
     */
    public function forget(string $feed): array;
}
