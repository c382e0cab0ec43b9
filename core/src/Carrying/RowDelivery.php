<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Port\FeedRefused;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\JoinedFiles;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\ReadAgain;
use Lighterman\Core\Port\TargetSystem;
use Lighterman\Core\Position\FileMark;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Arrival;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Trouble\SystemTrouble;
use LogicException;
use Throwable;

/** Lands what queries bring of one feed: batch by batch, as many of them in one transaction of the target as have to be, or as its pace asks for. */
final class RowDelivery
{
    /** The last batch of the delivery under way; null between two. */
    private ?Batch $last = null;

    /** @var list<FileMark> taken by its batches before the last */
    private array $files = [];

    private int $rows = 0;

    private int $dropped = 0;

    private int $setAside = 0;

    private int $run = 0;

    /** When it began, by the steady clock. */
    private float $since = 0.0;

    private function __construct(private readonly LandingSession $session, private readonly LandedTable $landed, private readonly string $feed, private Position $position)
    {
    }

    /**
     * @param  Holder  $holder  of the lease on the feed
     * @param  bool  $anew  as LandingSession::admit() has it
     *
     * @throws LeaseLost|SystemTrouble
     */
    public static function open(TargetSystem $target, LandedTable $landed, Holder $holder, bool $anew = false): self
    {
        $session = $target->landing($holder);
        try {
            return new self($session, $landed, $holder->of, $session->admit($landed, $holder->of, $anew));
        } catch (Throwable $e) {
            $session->close();
            throw $e;
        }
    }

    /** As stored with the rows; the truth after a crash. */
    public function position(): Position
    {
        return $this->position;
    }

    public function sequence(): int
    {
        return $this->session->sequence($this->feed);
    }

    /** @return list<Receipt> */
    public function receiptsAfter(int $sequence): array
    {
        return $this->session->receiptsAfter($this->feed, $sequence);
    }

    /** Receipts up to this one stand in Lighterman's own database. */
    public function copied(int $sequence): void
    {
        $this->session->copied($this->feed, $sequence);
    }

    /** Drops receipts that are older than some days. */
    public function forgetReceipts(int $days): void
    {
        $this->session->tidyReceipts(null, $days);
    }

    /**
     * Writes a batch. One that does not close a unit stays uncommitted until one that does.
     *
     * @param  int  $run  Lighterman's number of it
     * @param  float  $now  by the steady clock, seconds
     * @return Receipt|null null while the delivery is open
     *
     * @throws LeaseLost when a newer fencing token has been seen
     * @throws ReadAgain when the caller is to go back to position() and land again from there
     * @throws SystemTrouble
     */
    public function land(Batch $batch, int $run, float $now): ?Receipt
    {
        return $this->whole(function () use ($batch, $run, $now): ?Receipt {
            $this->since = $this->last === null ? $now : $this->since;
            $this->put($batch, $run, beside: false);

            return $batch->stretch->closes && ($this->landed->as->landing->swaps() || $this->isLong($now)) ? $this->commit() : null;
        });
    }

    private function isLong(float $now): bool
    {
        return $this->rows >= $this->landed->as->writing->rows || $now - $this->since >= $this->session->pace();
    }

    /**
     * Lands what has been held back so that deliveries do not become too small, as far as it may be committed.
     *
     * @return Receipt|null null where nothing was
     *
     * @throws LeaseLost|ReadAgain|SystemTrouble
     */
    public function settle(): ?Receipt
    {
        return $this->last?->stretch->closes ? $this->whole($this->commit(...)) : null;
    }

    /**
     * Lands records that were kept out before, in one unit, beside those that are there. The position stays.
     *
     * @throws LeaseLost|SystemTrouble
     */
    public function again(Batch $batch, int $run): Receipt
    {
        return $this->whole(function () use ($batch, $run): Receipt {
            $this->put($batch, $run, beside: true);

            return $this->commit();
        });
    }

    private function put(Batch $batch, int $run, bool $beside): void
    {
        if ($this->last === null) {
            $this->session->begin();
        }
        $this->files = $this->last?->stretch->closes ? [...$this->files, ...$this->last->stretch->to->files()] : $this->files;
        [$this->last, $this->run] = [$batch, $run];
        $this->rows += $batch->rows;
        $this->dropped += $batch->dropped;
        $this->setAside += $batch->setAside;
        $this->session->put($this->feed, $batch, $beside);
    }

    private function commit(): Receipt
    {
        $last = $this->last ?? throw new LogicException('There is nothing to commit.');
        $receipt = $this->session->commit([new Arrival($this->feed, $last->stretch->to->also($this->files), $this->run, $this->dropped, $this->setAside)], null, $last->stretch->sourceTime)[$this->feed];
        $this->position = $last->stretch->to;
        $this->forget();

        return $receipt;
    }

    /**
     * @template T
     *
     * @param  callable(): T  $do
     * @return T
     */
    private function whole(callable $do): mixed
    {
        try {
            return $do();
        } catch (Throwable $e) {
            $this->abandon();
            throw $e instanceof FeedRefused ? $e->trouble : $e;
        }
    }

    /**
     * Joins the small files that earlier deliveries have left.
     *
     * @throws LeaseLost|SystemTrouble
     */
    public function join(): ?JoinedFiles
    {
        return $this->whole(fn (): ?JoinedFiles => $this->session->join($this->feed));
    }

    /** Gives up what has been landed since the last receipt. */
    public function abandon(): void
    {
        $this->forget();
        $this->session->rollback();
    }

    private function forget(): void
    {
        $this->last = null;
        $this->files = [];
        $this->rows = $this->dropped = $this->setAside = 0;
    }

    public function close(): void
    {
        $this->abandon();
        $this->session->close();
    }
}
