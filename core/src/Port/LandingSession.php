<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Arrival;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * Writes what feeds bring, rows or changes, for the holder of one lease. Between begin() and commit() everything belongs to
 * one transaction of the target: rows of all feeds, their positions and receipts, and the place in the stream of changes.
 */
interface LandingSession
{
    /** The text of the place in the stream of changes up to which the holder has landed; null at the start, and where it reads none. */
    public function position(): ?string;

    /** Seconds that what could be committed may wait for more, so that deliveries do not become too small; none where that costs nothing. */
    public function pace(): float;

    /**
     * Makes the feed's landed tables ready, creating them when absent.
     *
     * @param  bool  $anew  whether everything is about to be landed again, so that a table that somebody dropped, replaced or emptied may be taken as it is
     * @return Position as stored with the rows; the truth after a crash
     *
     * @throws LeaseLost when a newer token has been seen
     * @throws SystemTrouble with reason `incompatible_table` when the preparation has obstacles, `landed_gone`, `landed_replaced`, `landed_emptied` or `landed_column` when the rows that had landed are there no more
     */
    public function admit(LandedTable $landed, string $feed, bool $anew = false): Position;

    /** Number of the feed's last receipt that stands in the target; 0 before the first. Can be asked before the feed is admitted, as can its receipts. */
    public function sequence(string $feed): int;

    /** @return list<Receipt> receipts stored with the rows whose sequence is greater, in order */
    public function receiptsAfter(string $feed, int $sequence): array;

    /** @throws LeaseLost|SystemTrouble */
    public function begin(): void;

    /**
     * Writes rows that a query brought; may be called many times within one transaction.
     *
     * @param  bool  $beside  whether rows go beside those that are there, whatever the landing
     *
     * @throws FeedRefused|LeaseLost|SystemTrouble
     * @throws ReadAgain when the caller is to roll back, read again from the feed's position and land that
     */
    public function put(string $feed, Batch $batch, bool $beside = false): void;

    /**
     * Writes the changes that the plan holds; may be called many times within one transaction. A refusal may come with a later call.
     *
     * @throws FeedRefused|LeaseLost|SystemTrouble
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
     * @param  list<Arrival>  $arrivals  of every feed that was written to
     * @param  Place|null  $place  where the holder stands now in the stream of changes; null leaves it
     * @param  string|null  $sourceTime  the source's clock (ISO 8601, UTC) up to which the copies are complete now; of changes the commit time of the last transaction
     * @return array<string, Receipt> by feed
     *
     * @throws FeedRefused|LeaseLost|ReadAgain|SystemTrouble
     */
    public function commit(array $arrivals, ?Place $place, ?string $sourceTime): array;

    /**
     * Looks whether what landed of the feeds is still there, though nothing of them lands now; between two commits.
     *
     * @param  list<string>  $feeds
     *
     * @throws FeedRefused when somebody dropped, replaced or emptied a landed table
     */
    public function demandKept(array $feeds): void;

    /**
     * Joins the small files that a feed's deliveries have left, partition by partition; between two commits. Rows, position and
     * receipts stay, and who is reading the files that were joined may read on.
     *
     * @return JoinedFiles|null null where there was nothing to join, or the target keeps no files
     *
     * @throws FeedRefused|LeaseLost|SystemTrouble
     */
    public function join(string $feed): ?JoinedFiles;

    /** Receipts up to this one stand in Lighterman's own database. Those after it must be kept. */
    public function copied(string $feed, int $sequence): void;

    /**
     * Joins the receipts of these feeds that landed more than some hours ago, for a stream brings several a second, and drops those
     * that are older than some days. Joined are receipts of one run and one hour that follow each other, where nothing of them was
     * set aside or sent again.
     *
     * @param  int|null  $hours  null where they bring few, and none is joined
     */
    public function tidyReceipts(?int $hours, int $days): void;

    /** Gives up what was written since begin(). */
    public function rollback(): void;

    public function close(): void;
}
