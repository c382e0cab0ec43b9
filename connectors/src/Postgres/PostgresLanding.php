<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres;

use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\ReadAgain;
use Lighterman\Core\Port\SystemTrouble;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Receipt;

/** Writes one feed's batches; each unit with its position and receipt in one transaction. */
final class PostgresLanding implements LandingSession
{
    private ?Unit $unit = null;

    /** Whether rows may go straight into the table: true during a first load until a key turns out to be there already. */
    private bool $straight;

    private readonly Writer $writer;

    public function __construct(
        private readonly Connection $connection,
        private readonly Ledger $ledger,
        FeedDefinition $definition,
        private readonly string $feed,
        private readonly int $token,
        private Position $position,
    ) {
        $this->writer = new Writer($connection, $definition);
        $this->straight = $definition->landing === Landing::Append || $position->isLoading();
    }

    public function position(): Position
    {
        return $this->position;
    }

    public function receiptsAfter(int $sequence): array
    {
        return $this->ledger->receiptsAfter($this->feed, $sequence);
    }

    public function land(Batch $batch, int $run): ?Receipt
    {
        try {
            return $this->attempt($batch, $run);
        } catch (SystemTrouble $trouble) {
            $this->abandon();
            // In a first load keys are expected to be new. Where one is not, the unit is read again and merged.
            if ($trouble->reason === 'duplicate_key' && $this->straight && $this->writer->canMerge()) {
                $this->straight = false;
                throw new ReadAgain('Rows with the same keys are there already; they are merged instead.');
            }
            throw $trouble;
        }
    }

    public function close(): void
    {
        $this->abandon();
        $this->connection->close();
    }

    private function attempt(Batch $batch, int $run): ?Receipt
    {
        if ($this->unit === null) {
            $this->connection->begin();
            $this->unit = new Unit($batch->from, ...$this->ledger->lock($this->feed, $this->token, $batch->from));
            $this->straight = $this->straight && ($batch->from->isLoading() || ! $this->writer->canMerge());
            $this->writer->begin($this->straight);
        }
        $this->writer->write($this->stamped($batch, $this->unit->now));
        $this->unit->add($batch);
        if (! $batch->closes) {
            return null;
        }
        $counts = $this->writer->finish($this->unit->rows);
        $receipt = new Receipt(
            $this->unit->sequence, $run, $this->unit->from, $batch->to, $this->unit->rows,
            $counts->inserted, $counts->updated, $counts->unchanged, $counts->deleted, 0, 0,
            $this->unit->bytes, $this->unit->checksum(), $batch->sourceTime, $this->unit->now,
        );
        $this->ledger->store([$this->feed => $receipt]);
        $this->connection->commit();
        $this->position = $batch->to;
        $this->unit = null;

        return $receipt;
    }

    /** The rows with the technical columns at the end of each line. */
    private function stamped(Batch $batch, string $now): string
    {
        $stamps = $this->writer->stamps();
        if ($stamps === [] || $batch->encoded === '') {
            return $batch->encoded;
        }
        $values = ['delivered_at' => CopyText::field($now), 'source_position' => CopyText::field((string) $batch->to)];
        $tail = implode("\t", array_map(static fn (string $stamp): string => $values[$stamp], array_keys($stamps)));

        return str_replace("\n", "\t{$tail}\n", $batch->encoded);
    }

    private function abandon(): void
    {
        $this->connection->rollback();
        $this->unit = null;
    }
}
