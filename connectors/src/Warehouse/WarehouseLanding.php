<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Port\FeedRefused;
use Lighterman\Core\Port\Holder;
use Lighterman\Core\Port\JoinedFiles;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\ReadAgain;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\StreamPosition;
use Lighterman\Core\Record\Batch;
use Lighterman\Core\Trouble\LandedTrouble;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/** Lands rows and changes of feeds; positions and receipts commit with them. */
final class WarehouseLanding implements LandingSession
{
    private const STAGES = 40;

    private ?string $place;

    /** @var array<string, AdmittedFeed> by lasting id */
    private array $feeds = [];

    /** The target's clock when the transaction under way began. */
    private string $now = '';

    /** @var array{string, callable(list<Outcome>): void}|null the feed whose statements were sent last, and what takes their results */
    private ?array $open = null;

    /** What the holder of the lease has it on: a route, or a feed. */
    private readonly string $of;

    private readonly int $token;

    public function __construct(private readonly Warehouse $at, Holder $holder)
    {
        // Of the holder itself nothing is kept, for it keeps this.
        [$this->of, $this->token] = [$holder->of, $holder->token];
        $at->ledger->supersede($holder->of, $holder->token);
        // A feed by itself is claimed when it is admitted, with its table.
        $position = $holder->isRoute ? $this->booked(fn (): Position => $at->ledger->claim($holder->of, $holder->token, null, created: false)) : null;
        $this->place = $position instanceof StreamPosition ? $position->place : null;
    }

    /**
     * In a transaction of its own, with the ledger there.
     *
     * @param  callable(): Position  $do
     */
    private function booked(callable $do): Position
    {
        try {
            $this->at->session->begin();
            $this->at->ledger->ensure();
            $position = $do();
            $this->at->session->commit();

            return $position;
        } finally {
            $this->at->session->rollback();
        }
    }

    public function position(): ?string
    {
        return $this->place;
    }

    public function pace(): float
    {
        return 0.0;
    }

    public function admit(LandedTable $landed, string $feed, bool $anew = false): Position
    {
        $position = $this->booked(fn (): Position => (new Admission($this->at))->admit($landed, $feed, $this->token, $anew));
        $this->feeds[$feed] = new AdmittedFeed($this->at, $landed, $feed, $position, $this->at->ledger->sequence($feed));

        return $position;
    }

    public function sequence(string $feed): int
    {
        return isset($this->feeds[$feed]) ? $this->feeds[$feed]->sequence() : $this->at->ledger->sequence($feed);
    }

    public function receiptsAfter(string $feed, int $sequence): array
    {
        return $this->at->ledger->receiptsAfter($feed, $sequence);
    }

    public function begin(): void
    {
        try {
            $this->at->session->begin();
            ['now' => $this->now, 'position' => $position] = $this->at->ledger->hold($this->of, $this->token);
        } catch (SystemTrouble $trouble) {
            throw $this->told($trouble);
        }
        ($this->feeds[$this->of] ?? null)?->demandAt($position);
    }

    /** Why a session was lost: who was taken over from is told that, and not that a connection broke. */
    private function told(SystemTrouble $trouble): LeaseLost|SystemTrouble
    {
        if ($trouble->reason !== Reason::ConnectionLost) {
            return $trouble;
        }
        try {
            $newest = $this->at->ledger->newest($this->of);
        } catch (SystemTrouble) {
            return $trouble;
        }

        return $newest > $this->token ? LeaseLost::to($newest, $this->token) : $trouble;
    }

    public function put(string $feed, Batch $batch, bool $beside = false): void
    {
        $this->settle();
        $this->named($feed, fn () => $this->feeds[$feed]->put($batch, $this->now, $beside));
    }

    public function apply(string $feed, ChangePlan $plan): void
    {
        if ($plan->changes() > 0) {
            $this->settle();
            $open = $this->named($feed, fn (): ?callable => $this->feeds[$feed]->apply($plan, $this->now));
            $this->open = $open === null ? null : [$feed, $open];
        }
    }

    /**
     * Statements of several feeds share a connection, so what is refused must say whose it is.
     *
     * @template T
     *
     * @param  callable(): T  $do
     * @return T
     *
     * @throws FeedRefused|ReadAgain|SystemTrouble
     */
    private function named(string $feed, callable $do): mixed
    {
        try {
            return $do();
        } catch (SystemTrouble $trouble) {
            if ($this->feeds[$feed]->mergesAfter($trouble)) {
                throw new ReadAgain('Rows with the same keys are there already; they are merged instead.');
            }
            if (in_array($trouble->reason, [Reason::NoTable, Reason::NoColumn], true)) {
                $this->rollback();
                $this->demandFeed($feed);
            }
            throw $trouble->mayPass() ? $trouble : new FeedRefused($feed, $trouble);
        }
    }

    /** Waits for the statements sent last. */
    private function settle(): void
    {
        if ($this->open !== null) {
            [$feed, $open] = $this->open;
            $this->open = null;
            $open($this->named($feed, fn (): array => $this->at->session->collect()));
        }
    }

    public function noteKeys(string $feed, bool $whole): void
    {
        $this->feeds[$feed]->noteKeys($whole);
    }

    public function sweep(string $feed, SourceCommit $commit): void
    {
        $this->settle();
        $this->named($feed, fn () => $this->feeds[$feed]->sweep($commit, $this->now));
    }

    public function truncate(string $feed, SourceCommit $commit, int $number): void
    {
        $this->settle();
        $this->named($feed, fn () => $this->feeds[$feed]->truncate($commit, $number, $this->now));
    }

    public function commit(array $arrivals, ?Place $place, ?string $sourceTime): array
    {
        $this->settle();
        $receipts = [];
        foreach ($arrivals as $arrival) {
            $receipts[$arrival->feed] = $this->named($arrival->feed, fn () => $this->feeds[$arrival->feed]->receipt($arrival, $sourceTime, $this->now));
        }
        $this->at->ledger->store($receipts);
        $this->demandSame();
        foreach ($receipts as $feed => $receipt) {
            $this->feeds[$feed]->identify();
        }
        if ($place !== null) {
            $this->at->ledger->move($this->of, StreamPosition::at($place->text()));
        }
        $this->at->session->commit();
        foreach ($receipts as $feed => $receipt) {
            $this->feeds[$feed]->landed($receipt);
        }
        $this->place = $place?->text() ?? $this->place;
        $this->dropStages();

        return $receipts;
    }

    /**
     * What was written went into the tables that were landed in before. Until the commit nobody else can drop, alter or empty
     * those that were written to; what happened before is seen now.
     */
    private function demandSame(): void
    {
        $strange = $this->strange(array_filter($this->feeds, static fn (AdmittedFeed $f): bool => $f->isWritten()));
        if ($strange === []) {
            return;
        }
        // Whether a table had been emptied shows only without what was written to it just now.
        $this->rollback();
        array_map($this->demandFeed(...), $strange);
        throw LandedTrouble::rewritten($this->at->system);
    }

    public function demandKept(array $feeds): void
    {
        array_map($this->demandFeed(...), $this->strange(array_intersect_key($this->feeds, array_flip($feeds))));
    }

    /**
     * @param  array<string, AdmittedFeed>  $feeds
     * @return list<string> those whose tables the catalogue calls otherwise than when they were landed in last
     */
    private function strange(array $feeds): array
    {
        $tables = array_merge([], ...array_values(array_map(static fn (AdmittedFeed $f): array => array_map(static fn (FeedTable $t) => $t->landed->name, $f->tables), $feeds)));
        $strange = $tables === [] ? [] : $this->at->ledger->strange($tables);

        return array_values(array_map(static fn (AdmittedFeed $f): string => $f->feed, array_filter($feeds, static fn (AdmittedFeed $f): bool => array_intersect_key($f->tables, $strange) !== [])));
    }

    /** @throws FeedRefused|SystemTrouble */
    private function demandFeed(string $feed): void
    {
        try {
            $this->feeds[$feed]->demandSame();
        } catch (SystemTrouble $trouble) {
            throw $trouble->mayPass() ? $trouble : new FeedRefused($feed, $trouble);
        }
    }

    /** Every commit goes through all stages of the session, so there must not be many. */
    private function dropStages(): void
    {
        $tables = array_merge([], ...array_values(array_map(static fn (AdmittedFeed $f): array => array_values($f->tables), $this->feeds)));
        if (count(array_filter($tables, static fn (FeedTable $t): bool => $t->isStaged())) > self::STAGES) {
            $this->at->session->run(...$this->at->sql->dropStages());
            array_map(static fn (FeedTable $t) => $t->forgetStage(), $tables);
        }
    }

    public function join(string $feed): ?JoinedFiles
    {
        return null;
    }

    public function copied(string $feed, int $sequence): void
    {
        // They are kept for days, whether copied or not.
    }

    public function tidyReceipts(?int $hours, int $days): void
    {
        $this->at->ledger->tidyReceipts(array_keys($this->feeds), $hours, $days);
    }

    public function rollback(): void
    {
        $this->open = null;
        $this->at->session->rollback();
        array_map(static fn (AdmittedFeed $f) => $f->rolledBack(), $this->feeds);
    }

    public function close(): void
    {
        $this->at->session->close();
    }
}
