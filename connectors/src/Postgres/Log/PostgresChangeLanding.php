<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Log;

use Lighterman\Connectors\Postgres\Connection;
use Lighterman\Connectors\Postgres\Counts;
use Lighterman\Connectors\Postgres\Ledger;
use Lighterman\Connectors\Postgres\Preparing;
use Lighterman\Core\Capture\Log\Lsn;
use Lighterman\Core\Definition\LandedTable;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Port\ChangeLanding;
use Lighterman\Core\Port\FeedRefused;
use Lighterman\Core\Port\SystemTrouble;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Receipt;
use PgSql\Result;

/** Lands the changes of a route's feeds, all of a source transaction in one transaction here. */
final class PostgresChangeLanding implements ChangeLanding
{
    private const STAGES = 40;

    private readonly Ledger $ledger;

    private int $place;

    /** @var array<string, ChangeWriter> by feed */
    private array $writers = [];

    /** @var array<string, FeedTable> */
    private array $tables = [];

    /** @var array<string, Position> */
    private array $positions = [];

    /** @var array<string, int> number of the last receipt, by feed */
    private array $sequences = [];

    /** @var array<string, array{read: int, counts: Counts, superseded: int}> what the transaction under way did, by feed */
    private array $done = [];

    /** @var array<string, SeenKeys> of feeds whose whole table is being loaded again */
    private array $seen = [];

    /** @var list<string> feeds that the transaction under way has swept */
    private array $swept = [];

    private string $now = '';

    /** @var array{string, callable(list<Result>): void}|null the feed whose statements were sent last, and what takes their results */
    private ?array $open = null;

    public function __construct(private readonly Connection $connection, private readonly string $route, private readonly int $token)
    {
        $this->ledger = new Ledger($connection);
        $this->connection->begin();
        try {
            $this->connection->run("SELECT pg_advisory_xact_lock(hashtext('lighterman ledger'))");
            $this->ledger->ensure();
            $position = $this->ledger->claim($route, $token, null, created: false);
            $this->connection->commit();
        } finally {
            $this->connection->rollback();
        }
        $this->place = $position->place === null ? 0 : Lsn::parse($position->place);
    }

    public function position(): int
    {
        return $this->place;
    }

    public function admit(LandedTable $landed, string $feed): Position
    {
        try {
            $this->connection->begin();
            $this->connection->run("SELECT pg_advisory_xact_lock(hashtext('lighterman ledger'))");
            $preparation = (new Preparing($this->connection))->preparation($landed);
            foreach ($preparation->obstacles() as $obstacle) {
                throw SystemTrouble::lasting('incompatible_table', "{$this->connection->settings->system}: {$obstacle->said}", (string) $obstacle->remedy);
            }
            $position = $this->ledger->claim($feed, $this->token, $landed->name, created: ! $preparation->exists);
            foreach ($preparation->statements as $statement) {
                $this->connection->run($statement);
            }
            $this->connection->commit();
        } finally {
            $this->connection->rollback();
        }
        $table = new FeedTable($this->connection, $landed, $feed);
        $this->tables[$feed] = $table;
        $this->writers[$feed] = match ($landed->landing) {
            Landing::Append => new JournalWriter($this->connection, $table),
            Landing::Versions => new VersionsWriter($this->connection, $table),
            default => new UpsertWriter($this->connection, $table),
        };
        $this->sequences[$feed] = $this->ledger->sequence($feed);
        $seen = SeenKeys::underWay($this->connection, $table, $feed);
        if ($seen !== null) {
            $this->seen[$feed] = $seen;
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
        $this->connection->begin();
        ['now' => $this->now] = $this->ledger->hold($this->route, $this->token);
        $this->done = [];
    }

    public function apply(string $feed, ChangePlan $plan): void
    {
        if ($plan->changes() === 0) {
            return;
        }
        $this->settle();
        if (isset($this->seen[$feed])) {
            $this->named($feed, fn () => $this->seen[$feed]->add($plan->keys()));
        }
        $changes = $plan->changes();
        $superseded = $changes - $plan->lines();
        $written = $this->named($feed, fn (): callable|Counts => $this->writers[$feed]->write($plan, $this->now));
        if ($written instanceof Counts) {
            $this->tell($feed, $changes, $superseded, $written);
        } else {
            $this->open = [$feed, function (array $results) use ($feed, $changes, $superseded, $written): void {
                /** @var list<Result> $results */
                $this->tell($feed, $changes, $superseded, $written($results));
            }];
        }
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
        // What an earlier load had noted tells nothing about this one.
        ($this->seen[$feed] ?? null)?->drop();
        unset($this->seen[$feed]);
        if ($whole && SeenKeys::wanted($this->tables[$feed]->landed)) {
            $this->seen[$feed] = SeenKeys::begin($this->connection, $this->tables[$feed], $feed);
        }
    }

    public function sweep(string $feed, SourceCommit $commit): void
    {
        $seen = $this->seen[$feed] ?? null;
        if ($seen === null) {
            return;
        }
        $this->settle();
        // After every change of the moment at which the load ended.
        $counts = $this->named($feed, fn (): Counts => $this->writers[$feed]->truncate($commit, 0xFFFFFFFF, $this->now, $seen->unseen()));
        $this->tell($feed, $counts->deleted, 0, $counts);
        $seen->drop();
        $this->swept[] = $feed;
    }

    public function truncate(string $feed, SourceCommit $commit, int $number): void
    {
        $this->settle();
        $counts = $this->named($feed, fn (): Counts => $this->writers[$feed]->truncate($commit, $number, $this->now));
        $this->tell($feed, $counts->inserted + $counts->deleted, 0, $counts);
    }

    private function tell(string $feed, int $read, int $superseded, Counts $counts): void
    {
        $so = $this->done[$feed] ?? ['read' => 0, 'counts' => new Counts(0), 'superseded' => 0];
        $this->done[$feed] = ['read' => $so['read'] + $read, 'superseded' => $so['superseded'] + $superseded, 'counts' => $so['counts']->plus($counts)];
    }

    public function commit(array $feeds, ?int $place, array $runs, ?string $sourceTime, array $kept = []): array
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
        if ($place !== null) {
            $this->ledger->move($this->route, Position::log(Lsn::text($place)));
        }
        $this->connection->commit();
        foreach ($receipts as $feed => $receipt) {
            $this->positions[$feed] = $receipt->to;
            $this->sequences[$feed] = $receipt->sequence;
        }
        $this->place = $place ?? $this->place;
        $this->done = [];
        $this->seen = array_diff_key($this->seen, array_flip($this->swept));
        $this->swept = [];
        $this->dropStages();

        return $receipts;
    }

    /** Every commit goes through all stages of the session, so there must not be many. */
    private function dropStages(): void
    {
        if (count(array_filter($this->tables, static fn (FeedTable $t): bool => $t->isStaged())) > self::STAGES) {
            $this->connection->run('DISCARD TEMP');
            array_map(static fn (FeedTable $t) => $t->forgetStage(), $this->tables);
        }
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
