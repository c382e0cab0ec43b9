<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Counts;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\ForkedPlan;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Port\ChangeLanding;
use Lighterman\Core\Port\FeedRefused;
use Lighterman\Core\Port\JoinedFiles;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;
use PgSql\Result;

/** Lands the changes of a route's feeds, all of a source transaction in one transaction here. */
final class PostgresChangeLanding implements ChangeLanding
{
    private const STAGES = 40;

    private readonly Ledger $ledger;

    private ?string $place;

    /** @var array<string, array<string, string>> lines of the ledger under which the feed's tables are kept, by feed and fork */
    private array $lines = [];

    /** @var array<string, LandedTable> by feed */
    private array $landed = [];

    /** @var array<string, ChangeWriter> by line */
    private array $writers = [];

    /** @var array<string, FeedTable> by line */
    private array $tables = [];

    /** @var array<string, Position> */
    private array $positions = [];

    /** @var array<string, int> number of the last receipt, by feed */
    private array $sequences = [];

    /** @var array<string, array{read: int, counts: Counts, superseded: int}> what the transaction under way did, by feed */
    private array $done = [];

    /** @var array<string, SeenKeys> by line, of feeds whose whole table is being loaded again */
    private array $seen = [];

    /** @var list<string> lines that the transaction under way has swept */
    private array $swept = [];

    private string $now = '';

    /** @var array{string, callable(list<Result>): void}|null the feed whose statements were sent last, and what takes their results */
    private ?array $open = null;

    public function __construct(private readonly Connection $connection, private readonly string $route, private readonly int $token)
    {
        $this->ledger = new Ledger($connection);
        (new Superseding($connection))->take($route, $token);
        $this->connection->begin();
        try {
            $this->connection->run("SELECT pg_advisory_xact_lock(hashtext('lighterman ledger'))");
            $this->ledger->ensure();
            $position = $this->ledger->claim($route, $token, null, created: false);
            $this->connection->commit();
        } finally {
            $this->connection->rollback();
        }
        $this->place = $position->place;
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
        try {
            $this->connection->begin();
            $this->connection->run("SELECT pg_advisory_xact_lock(hashtext('lighterman ledger'))");
            $position = (new Admission($this->connection, $this->ledger))->admit($landed, $feed, $this->token, $anew);
            $this->connection->commit();
        } finally {
            $this->connection->rollback();
        }
        $this->sequences[$feed] = $this->ledger->sequence($feed);
        $this->landed[$feed] = $landed;
        $this->lines[$feed] = [];
        foreach ($landed->tables() as $fork => $own) {
            $line = $this->lines[$feed][$fork] = Ledger::line($feed, $fork);
            $table = $this->tables[$line] = new FeedTable($this->connection, $own, $line);
            $this->writers[$line] = match ($landed->landing) {
                Landing::Append => new JournalWriter($this->connection, $table),
                Landing::Versions => new VersionsWriter($this->connection, $table),
                default => new UpsertWriter($this->connection, $table),
            };
            $seen = SeenKeys::underWay($this->connection, $table, $line);
            if ($seen !== null) {
                $this->seen[$line] = $seen;
            }
        }

        return $this->positions[$feed] = $position;
    }

    public function sequence(string $feed): int
    {
        return $this->sequences[$feed];
    }

    public function receiptsAfter(string $feed, int $sequence): array
    {
        return $this->ledger->receiptsAfter($feed, $sequence);
    }

    public function begin(): void
    {
        try {
            $this->connection->begin();
            ['now' => $this->now] = $this->ledger->hold($this->route, $this->token);
        } catch (SystemTrouble $trouble) {
            (new Superseding($this->connection))->told($trouble, $this->route, $this->token);
        }
        $this->done = [];
    }

    public function apply(string $feed, ChangePlan $plan): void
    {
        if ($plan->changes() === 0) {
            return;
        }
        $this->settle();
        if ($plan instanceof ForkedPlan) {
            $this->applyForked($feed, $plan);

            return;
        }
        $changes = $plan->changes();
        $superseded = $changes - $plan->lines();
        $written = $this->write($feed, $feed, $plan);
        if ($written instanceof Counts) {
            $this->tell($feed, $changes, $superseded, $written);
        } else {
            $this->open = [$feed, function (array $results) use ($feed, $changes, $superseded, $written): void {
                /** @var list<Result> $results */
                $this->tell($feed, $changes, $superseded, $written($results));
            }];
        }
    }

    private function applyForked(string $feed, ForkedPlan $plan): void
    {
        $counts = new Counts(0);
        foreach ($plan->parts() as $fork => $part) {
            if ($part->changes() > 0) {
                $written = $this->write($feed, $this->lines[$feed][$fork], $part);
                $counts = $counts->plus($written instanceof Counts ? $written : $written($this->named($feed, fn (): array => $this->connection->collect())));
            }
        }
        $read = $plan->read($counts->deleted);
        $rest = $read - $counts->inserted - $counts->updated - $counts->deleted;
        $superseded = min($rest, $plan->changes() - $plan->lines());
        $this->tell($feed, $read, $superseded, new Counts($counts->inserted, $counts->updated, $rest - $superseded, $counts->deleted, $counts->bytes, $counts->checksum));
    }

    /** @return Counts|callable(list<Result>): Counts */
    private function write(string $feed, string $line, ChangePlan $plan): callable|Counts
    {
        if (isset($this->seen[$line])) {
            $this->named($feed, fn () => $this->seen[$line]->add($plan->keys()));
        }

        return $this->named($feed, fn (): callable|Counts => $this->writers[$line]->write($plan, $this->now));
    }

    /**
     * Statements of several feeds share a connection, so what is refused must say whose it is.
     *
     * @template T
     *
     * @param  callable(): T  $do
     * @return T
     */
    private function named(string $feed, callable $do): mixed
    {
        try {
            return $do();
        } catch (SystemTrouble $trouble) {
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
            $open($this->named($feed, fn (): array => $this->connection->collect()));
        }
    }

    public function noteKeys(string $feed, bool $whole): void
    {
        foreach ($this->lines[$feed] as $line) {
            // What an earlier load had noted tells nothing about this one.
            ($this->seen[$line] ?? null)?->drop();
            unset($this->seen[$line]);
            if ($whole && $this->tables[$line]->landed->isSwept()) {
                $this->seen[$line] = SeenKeys::begin($this->connection, $this->tables[$line], $line);
            }
        }
    }

    public function sweep(string $feed, SourceCommit $commit): void
    {
        foreach (array_intersect_key($this->seen, array_flip($this->lines[$feed])) as $line => $seen) {
            $this->settle();
            // After every change of the moment at which the load ended.
            $counts = $this->named($feed, fn (): Counts => $this->writers[$line]->truncate($commit, 0xFFFFFFFF, $this->now, $seen->unseen()));
            $this->tell($feed, $counts->deleted, 0, $counts);
            $seen->drop();
            $this->swept[] = $line;
        }
    }

    public function truncate(string $feed, SourceCommit $commit, int $number): void
    {
        $this->settle();
        foreach ($this->lines[$feed] as $line) {
            $counts = $this->named($feed, fn (): Counts => $this->writers[$line]->truncate($commit, $number, $this->now));
            $this->tell($feed, $counts->inserted + $counts->deleted, 0, $counts);
        }
    }

    private function tell(string $feed, int $read, int $superseded, Counts $counts): void
    {
        $so = $this->done[$feed] ?? ['read' => 0, 'counts' => new Counts(0), 'superseded' => 0];
        $this->done[$feed] = ['read' => $so['read'] + $read, 'superseded' => $so['superseded'] + $superseded, 'counts' => $so['counts']->plus($counts)];
    }

    public function commit(array $feeds, ?Place $place, array $runs, ?string $sourceTime, array $kept = []): array
    {
        $this->settle();
        $receipts = [];
        foreach ($feeds as $feed => $to) {
            $done = $this->done[$feed] ?? ['read' => 0, 'counts' => new Counts(0), 'superseded' => 0];
            ['dropped' => $dropped, 'setAside' => $setAside] = $kept[$feed] ?? ['dropped' => 0, 'setAside' => 0];
            $receipts[$feed] = new Receipt(
                $this->sequences[$feed] + 1, $runs[$feed] ?? 0, $this->positions[$feed], $to, $done['read'] + $dropped + $setAside,
                $done['counts']->inserted, $done['counts']->updated, $done['counts']->unchanged, $done['counts']->deleted, $dropped, $setAside,
                $done['counts']->bytes, $done['counts']->checksum, $sourceTime, $this->now, $done['superseded'],
            );
        }
        $this->ledger->store($receipts);
        $this->demandSame(array_keys($this->done));
        if ($place !== null) {
            $this->ledger->move($this->route, Position::log($place->text()));
        }
        $this->connection->commit();
        foreach ($receipts as $feed => $receipt) {
            $this->positions[$feed] = $receipt->to;
            $this->sequences[$feed] = $receipt->sequence;
        }
        $this->place = $place?->text() ?? $this->place;
        $this->done = [];
        $this->seen = array_diff_key($this->seen, array_flip($this->swept));
        $this->swept = [];
        $this->dropStages();

        return $receipts;
    }

    /**
     * What was written went into the tables that were landed in before. Until the commit nobody else can drop, alter or empty
     * those that were written to; what happened before is seen now.
     *
     * @param  list<string>  $feeds
     */
    private function demandSame(array $feeds): void
    {
        $strange = $this->strange($feeds);
        if ($strange === []) {
            return;
        }
        // Whether a table had been emptied shows only without what was written to it just now.
        $this->rollback();
        array_map($this->demandFeed(...), $strange);
        throw SystemTrouble::passing(Reason::TableRewritten, "{$this->connection->settings->system}: a landed table was written anew by somebody else while changes landed.", 'Lighterman lands them again.');
    }

    public function demandKept(array $feeds): void
    {
        array_map($this->demandFeed(...), $this->strange($feeds));
    }

    /**
     * @param  list<string>  $feeds
     * @return list<string> those whose tables the catalogue calls otherwise than when they were landed in last
     */
    private function strange(array $feeds): array
    {
        $tables = [];
        foreach ($feeds as $feed) {
            foreach ($this->lines[$feed] as $line) {
                $tables[$line] = $this->tables[$line]->landed->name;
            }
        }
        $strange = $tables === [] ? [] : $this->ledger->strange($tables);

        return array_values(array_filter($feeds, fn (string $f): bool => array_intersect($this->lines[$f], array_keys($strange)) !== []));
    }

    /** @throws FeedRefused */
    private function demandFeed(string $feed): void
    {
        try {
            (new Admission($this->connection, $this->ledger))->demandSame($this->landed[$feed], $feed);
        } catch (SystemTrouble $trouble) {
            throw $trouble->mayPass() ? $trouble : new FeedRefused($feed, $trouble);
        }
    }

    /** Every commit goes through all stages of the session, so there must not be many. */
    private function dropStages(): void
    {
        if (count(array_filter($this->tables, static fn (FeedTable $t): bool => $t->isStaged())) > self::STAGES) {
            $this->connection->run('DISCARD TEMP');
            array_map(static fn (FeedTable $t) => $t->forgetStage(), $this->tables);
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

    public function forgetReceipts(int $days): void
    {
        $this->ledger->forgetReceipts(array_keys($this->tables), $days);
    }

    public function rollback(): void
    {
        $this->open = null;
        $this->connection->rollback();
        $this->done = $this->swept = [];
        foreach ($this->tables as $table) {
            $table->forgetStage();
        }
    }

    public function close(): void
    {
        $this->connection->close();
    }
}
