<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Trouble\SystemTrouble;

/** Writes batches of one feed. Position, rows and receipt commit in one transaction of the target. */
interface LandingSession
{
    /** As stored with the rows; the truth after a crash. */
    public function position(): Position;

    /** Number of the last receipt that stands in the target; 0 before the first. */
    public function sequence(): int;

    /** @return list<Receipt> receipts stored with the rows whose sequence is greater, in order */
    public function receiptsAfter(int $sequence): array;

    /**
     * Writes a batch. A batch that does not close a unit stays uncommitted until one that does.
     *
     * @return Receipt|null the receipt once committed; null while the unit is open
     *
     * @throws LeaseLost when a newer fencing token has been seen
     * @throws ReadAgain when the caller is to go back to position() and land again from there
     * @throws SystemTrouble
     */
    public function land(Batch $batch, int $run): ?Receipt;

    /**
     * Lands what has been held back so that deliveries do not become too small, as far as it may be committed.
     *
     * @return Receipt|null null where nothing was
     *
     * @throws LeaseLost|SystemTrouble
     */
    public function settle(): ?Receipt;

    /**
     * Lands records that were kept out before, in one unit, beside those that are there. The position stays.
     *
     * @throws LeaseLost|SystemTrouble
     */
    public function again(Batch $batch, int $run): Receipt;

    /**
     * Joins the small files that earlier deliveries have left, partition by partition. Rows, position and receipts stay, and
     * who is reading the files that were joined may read on.
     *
     * @return JoinedFiles|null null where there was nothing to join, or the target keeps no files
     *
     * @throws LeaseLost|SystemTrouble
     */
    public function join(): ?JoinedFiles;

    /** Gives up what has been landed since the last receipt. */
    public function abandon(): void;

    public function close(): void;
}
