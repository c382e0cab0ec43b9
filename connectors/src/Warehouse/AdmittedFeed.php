<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Connectors\Sent;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\ForkedPlan;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Arrival;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Record\Counts;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Trouble\LandedTrouble;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/** One feed that is landed in: its tables, and what the transaction under way does to them. */
final class AdmittedFeed
{
    /** @var array<string, FeedTable> by line of the ledger under which it is kept */
    public readonly array $tables;

    /** @var array<string, string> lines of the ledger, by fork */
    private readonly array $lines;

    /** @var array<string, ChangeWriter> what changes are written through, by line */
    private readonly array $changes;

    /** What rows are written through. */
    private readonly Writers $rows;

    /** @var array<string, SeenKeys> by line, while the whole table is being loaded again */
    private array $seen = [];

    /** @var list<string> lines that the transaction under way has swept */
    private array $swept = [];

    /** Whether rows may go straight into the table: true during a first load until a key turns out to be there already; null before it was looked. */
    private ?bool $straight = null;

    /** Whether rows of the transaction under way go in without looking for their keys, which may turn out to be there. */
    private bool $risks = false;

    /** The rows of the transaction under way; null where it has none. */
    private ?Sent $sent = null;

    /** Whether what it writes goes into the tables that were there before. */
    private bool $written = false;

    private int $read = 0;

    private Counts $counts;

    /** @param  int  $sequence  number of its last receipt */
    public function __construct(
        private readonly Warehouse $at,
        private readonly LandedTable $landed,
        public readonly string $feed,
        private Position $position,
        private int $sequence,
    ) {
        $lines = $tables = $changes = [];
        foreach ($landed->tables() as $fork => $own) {
            $line = $lines[$fork] = Admission::line($feed, $fork);
            $table = $tables[$line] = new FeedTable($at, $own, $line);
            $changes[$line] = match ($landed->as->landing) {
                Landing::Append => new JournalWriter($at, $table),
                Landing::Versions => new VersionsWriter($at, $table),
                default => new UpsertWriter($at, $table),
            };
            $seen = $landed->bringsChanges() ? SeenKeys::underWay($at, $table, $line) : null;
            if ($seen !== null) {
                $this->seen[$line] = $seen;
            }
        }
        [$this->lines, $this->tables, $this->changes] = [$lines, $tables, $changes];
        $this->rows = new Writers($at, $landed);
        $this->counts = new Counts(0);
    }

    public function position(): Position
    {
        return $this->position;
    }

    public function sequence(): int
    {
        return $this->sequence;
    }

    /** Whether the transaction under way has written into the tables that were there before it. */
    public function isWritten(): bool
    {
        return $this->written;
    }

    /** @param  bool  $beside  as LandingSession::put() has it */
    public function put(Batch $batch, string $now, bool $beside): void
    {
        if ($this->sent === null) {
            $this->beginRows($batch, $beside);
        }
        $this->rows->write($batch, $now);
        $this->sent?->add($batch);
    }

    private function beginRows(Batch $batch, bool $beside): void
    {
        $this->demandAt($batch->stretch->from);
        $this->demandUnchanged();
        $this->straight ??= $this->landed->as->landing->adds() || ($this->position->isLoading() && ! $this->landed->repeats() && $this->rows->mayGoStraight());
        $this->risks = $this->rows->canMerge() && $this->straight && ! $beside && $batch->stretch->from->isLoading();
        $this->straight = $this->straight && ($beside || $this->risks || ! $this->rows->canMerge());
        $this->rows->begin($this->risks || ! $this->rows->canMerge(), $beside);
        $this->written = $this->written || $beside || ! $this->landed->as->landing->swaps();
        $this->sent = new Sent;
    }

    /** @throws SystemTrouble if the feed does not stand here */
    public function demandAt(Position $position): void
    {
        if (! $this->position->equals($position)) {
            throw LandedTrouble::movedOn($this->at->system);
        }
    }

    /** From here to the commit nobody else can drop, alter or empty the tables, however long rows are written. */
    private function demandUnchanged(): void
    {
        try {
            $this->at->session->run($this->at->sql->hold(array_values(array_map(static fn (FeedTable $t): string => $t->table, $this->tables))));
        } catch (SystemTrouble $trouble) {
            $this->at->session->rollback();
            $this->demandSame();
            throw $trouble;
        }
        $this->demandSame();
    }

    /** @throws SystemTrouble if a table has lost what was landed in it */
    public function demandSame(): void
    {
        (new Admission($this->at))->demandSame($this->landed, $this->feed);
    }

    /**
     * In a first load keys are expected to be new. Where one is not, the unit is read again and merged.
     *
     * @return bool whether that is what has to be done from now on
     */
    public function mergesAfter(SystemTrouble $trouble): bool
    {
        if ($trouble->reason !== Reason::DuplicateKey || ! $this->risks) {
            return false;
        }
        $this->straight = false;

        return true;
    }

    /**
     * @return (callable(list<Outcome>): void)|null what takes the results of the statements that were sent; null where none are awaited
     */
    public function apply(ChangePlan $plan, string $now): ?callable
    {
        if ($plan instanceof ForkedPlan) {
            $this->applyForked($plan, $now);

            return null;
        }
        $changes = $plan->changes();
        $superseded = $changes - $plan->lines();
        $tell = fn (Counts $counts) => $this->tell($changes, $counts->plus(new Counts(0, superseded: $superseded)));
        $written = $this->write($this->lines[''], $plan, $now);
        if ($written instanceof Counts) {
            $tell($written);

            return null;
        }

        return static function (array $results) use ($tell, $written): void {
            /** @var list<Outcome> $results */
            $tell($written($results));
        };
    }

    private function applyForked(ForkedPlan $plan, string $now): void
    {
        $counts = new Counts(0);
        foreach ($plan->parts() as $fork => $part) {
            if ($part->changes() > 0) {
                $written = $this->write($this->lines[$fork], $part, $now);
                $counts = $counts->plus($written instanceof Counts ? $written : $written($this->at->session->collect()));
            }
        }
        $read = $plan->read($counts->deleted);
        $rest = $read - $counts->inserted - $counts->updated - $counts->deleted;
        $superseded = min($rest, $plan->changes() - $plan->lines());
        $this->tell($read, new Counts($counts->inserted, $counts->updated, $rest - $superseded, $counts->deleted, $counts->bytes, $counts->checksum, $superseded));
    }

    /** @return Counts|callable(list<Outcome>): Counts */
    private function write(string $line, ChangePlan $plan, string $now): callable|Counts
    {
        ($this->seen[$line] ?? null)?->add($plan->keys());

        return $this->changes[$line]->write($plan, $now);
    }

    public function noteKeys(bool $whole): void
    {
        foreach ($this->tables as $line => $table) {
            // What an earlier load had noted tells nothing about this one.
            ($this->seen[$line] ?? null)?->drop();
            unset($this->seen[$line]);
            if ($whole && $table->landed->isSwept()) {
                $this->seen[$line] = SeenKeys::begin($this->at, $table, $line);
            }
        }
    }

    public function sweep(SourceCommit $commit, string $now): void
    {
        foreach ($this->seen as $line => $seen) {
            // After every change of the moment at which the load ended.
            $counts = $this->changes[$line]->truncate($commit, 0xFFFFFFFF, $now, $seen->unseen());
            $this->tell($counts->deleted, $counts);
            $seen->drop();
            $this->swept[] = $line;
        }
    }

    public function truncate(SourceCommit $commit, int $number, string $now): void
    {
        foreach ($this->changes as $writer) {
            $counts = $writer->truncate($commit, $number, $now);
            $this->tell($counts->inserted + $counts->deleted, $counts);
        }
    }

    private function tell(int $read, Counts $counts): void
    {
        $this->written = true;
        $this->read += $read;
        $this->counts = $this->counts->plus($counts);
    }

    /** Ends what the transaction under way does to the feed's tables. */
    public function receipt(Arrival $arrival, ?string $sourceTime, string $now): Receipt
    {
        $counts = $this->counts;
        if ($this->sent !== null) {
            $counts = $counts->plus($this->rows->finish())->plus($this->sent->counts());
        }

        return new Receipt($this->sequence + 1, $this->position->bare(), $arrival, $this->read + ($this->sent->rows ?? 0), $counts, $sourceTime, $now);
    }

    /** A table that was built beside the one that was there has taken its place. */
    public function identify(): void
    {
        if ($this->sent !== null && ! $this->written) {
            foreach ($this->tables as $line => $table) {
                $this->at->ledger->identify($line, $table->landed->name);
            }
        }
    }

    public function landed(Receipt $receipt): void
    {
        $this->position = $receipt->to;
        $this->sequence = $receipt->sequence;
        $this->seen = array_diff_key($this->seen, array_flip($this->swept));
        $this->forget();
    }

    /** A transaction is over. */
    public function forget(): void
    {
        $this->sent = null;
        $this->risks = $this->written = false;
        $this->read = 0;
        $this->counts = new Counts(0);
        $this->swept = [];
    }

    /** After a rollback a stage is gone if the transaction had made it. */
    public function rolledBack(): void
    {
        $this->forget();
        $this->rows->forgetStages();
        array_map(static fn (FeedTable $t) => $t->forgetStage(), $this->tables);
    }
}
