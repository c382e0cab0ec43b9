<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * Writes the changes of all feeds of a route. Between begin() and commit() everything belongs to one transaction of the
 * target: rows of all feeds, their positions and receipts, and the route's position.
 */
interface ChangeLanding
{
    /** The text of the place in the stream of changes up to which the route has landed; null at the start. */
    public function position(): ?string;

    /** Seconds that changes may wait for others, so that deliveries do not become too small; none where that costs nothing. */
    public function pace(): float;

    /**
     * Makes the feed's landed table ready, creating it when absent.
     *
     * @param  bool  $anew  as TargetSystem::open() has it
     *
     * @throws SystemTrouble with reason `incompatible_table`, or as TargetSystem::open() has it
     */
    public function admit(LandedTable $landed, string $feed, bool $anew = false): Position;

    /** Number of the feed's last receipt that stands in the target; 0 before the first. */
    public function sequence(string $feed): int;

    /** @return list<Receipt> */
    public function receiptsAfter(string $feed, int $sequence): array;

    /** @throws LeaseLost */
    public function begin(): void;

    /**
     * Writes what the plan holds; may be called many times within one transaction. A refusal may come with a later call.
     *
     * @throws FeedRefused|SystemTrouble
     */
    public function apply(string $feed, ChangePlan $plan): void;

    /**
     * A table begins to be loaded again. If it is the whole of it, the keys that are seen from here on are written down,
     * until sweep(). Not within a transaction.
     */
    public function noteKeys(string $feed, bool $whole): void;

    /**
     * The load has come to its end: rows whose keys were not seen since noteKeys() are gone at the source, and are landed
     * as deletes. Does nothing for a feed whose keys were not noted.
     */
    public function sweep(string $feed, SourceCommit $commit): void;

    /** The source table was emptied. */
    public function truncate(string $feed, SourceCommit $commit, int $number): void;

    /**
     * @param  array<string, Position>  $feeds  where each feed that was written to stands now
     * @param  Place|null  $place  where the route stands now; null leaves it
     * @param  array<string, int>  $runs  Lighterman's number of the run, by feed
     * @param  string|null  $sourceTime  commit time of the last transaction, ISO 8601 UTC
     * @param  array<string, array{dropped: int, setAside: int}>  $kept  changes that were read but are not landed, by feed
     * @return array<string, Receipt>
     */
    public function commit(array $feeds, ?Place $place, array $runs, ?string $sourceTime, array $kept = []): array;

    /**
     * Looks whether what landed of the feeds is still there, though nothing of them lands now; between two commits.
     *
     * @param  list<string>  $feeds
     *
     * @throws FeedRefused when somebody dropped, replaced or emptied a landed table
     */
    public function demandKept(array $feeds): void;

    /**
     * Joins the small files that a feed's deliveries have left, as a landing session does; between two commits.
     *
     * @throws FeedRefused|LeaseLost|SystemTrouble
     */
    public function join(string $feed): ?JoinedFiles;

    /** Receipts up to this one stand in Lighterman's own database. Those after it must be kept. */
    public function copied(string $feed, int $sequence): void;

    /** Drops the receipts of these feeds that are older; a log brings several a second. */
    public function forgetReceipts(int $days): void;

    public function rollback(): void;

    public function close(): void;
}
