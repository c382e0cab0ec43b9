<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Connectors\Unit;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\JoinedFiles;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\ReadAgain;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/** Writes one feed's batches; each unit with its position and receipt in one transaction. */
final class PostgresLanding implements LandingSession
{
    private ?Unit $unit = null;

    /** Whether rows may go straight into the table: true during a first load until a key turns out to be there already. */
    private bool $straight;

    private readonly Writers $writers;

    public function __construct(
        private readonly Connection $connection,
        private readonly Ledger $ledger,
        private readonly LandedTable $landed,
        private readonly string $feed,
        private readonly int $token,
        private Position $position,
    ) {
        $this->writers = new Writers($connection, $landed);
        $this->straight = $landed->landing === Landing::Append || ($position->isLoading() && ! $landed->repeats && $this->writers->mayGoStraight());
    }

    public function position(): Position
    {
        return $this->position;
    }

    public function sequence(): int
    {
        return $this->ledger->sequence($this->feed);
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
            if ($trouble->reason === Reason::DuplicateKey && $this->straight && $this->writers->canMerge()) {
                $this->straight = false;
                throw new ReadAgain('Rows with the same keys are there already; they are merged instead.');
            }
            throw $trouble;
        }
    }

    public function settle(): ?Receipt
    {
        return null;
    }

    public function close(): void
    {
        $this->abandon();
        $this->connection->close();
    }

    public function again(Batch $batch, int $run): Receipt
    {
        try {
            $unit = $this->begin($batch, straight: ! $this->writers->canMerge(), beside: true);
            $this->put($batch, $unit);

            return $this->finish($batch, $unit, $run);
        } catch (SystemTrouble $trouble) {
            $this->abandon();
            throw $trouble;
        }
    }

    private function attempt(Batch $batch, int $run): ?Receipt
    {
        $unit = $this->unit ?? $this->begin($batch, $this->straight && ($batch->from->isLoading() || ! $this->writers->canMerge()));
        $this->put($batch, $unit);

        return $batch->closes ? $this->finish($batch, $unit, $run) : null;
    }

    /** @param  bool  $beside  whether rows go beside those that are there, whatever the landing */
    private function begin(Batch $batch, bool $straight, bool $beside = false): Unit
    {
        try {
            $this->connection->begin();
            $unit = new Unit($batch->from, ...$this->ledger->lock($this->feed, $this->token, $batch->from));
        } catch (SystemTrouble $trouble) {
            (new Superseding($this->connection))->told($trouble, $this->feed, $this->token);
        }
        $this->demandSame();
        if (! $beside) {
            $this->straight = $straight;
        }
        $this->writers->begin($straight, $beside);

        return $this->unit = $unit;
    }

    /** From here to the commit nobody else can drop, alter or empty the tables. */
    private function demandSame(): void
    {
        try {
            $this->connection->run('LOCK TABLE '.implode(', ', array_map(Sql::table(...), Admission::lines($this->landed, $this->feed))).' IN ROW EXCLUSIVE MODE');
        } catch (SystemTrouble $trouble) {
            $this->connection->rollback();
            (new Admission($this->connection, $this->ledger))->demandSame($this->landed, $this->feed);
            throw $trouble;
        }
        if ($this->position->phase !== 'start') {
            (new Admission($this->connection, $this->ledger))->demandSame($this->landed, $this->feed);
        }
    }

    private function identify(): void
    {
        foreach (Admission::lines($this->landed, $this->feed) as $line => $table) {
            $this->ledger->identify($line, $table);
        }
    }

    private function put(Batch $batch, Unit $unit): void
    {
        $this->writers->write($batch, $unit);
        $unit->add($batch);
    }

    private function finish(Batch $batch, Unit $unit, int $run): Receipt
    {
        $counts = $this->writers->finish();
        $receipt = $unit->receipt($run, $batch, $counts, $unit->now);
        $this->ledger->store([$this->feed => $receipt]);
        if ($this->landed->landing === Landing::Replace) {
            // The table that was built beside it has taken its place.
            $this->identify();
        }
        $this->connection->commit();
        $this->position = $batch->to;
        $this->unit = null;

        return $receipt;
    }

    public function join(): ?JoinedFiles
    {
        return null;
    }

    public function abandon(): void
    {
        $this->connection->rollback();
        $this->unit = null;
    }
}
