<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Arrival;
use Lighterman\Core\Record\Counts;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/** Lighterman's own bookkeeping in the target, in schema `lighterman`: position and receipts, committed with the rows. */
final readonly class Ledger
{
    private const CREATE = <<<'SQL'
        CREATE SCHEMA IF NOT EXISTS lighterman;
        CREATE TABLE IF NOT EXISTS lighterman.position (
            feed text PRIMARY KEY, token bigint NOT NULL, sequence bigint NOT NULL, position text NOT NULL, landed text NOT NULL,
            created boolean NOT NULL, identity text);
        CREATE TABLE IF NOT EXISTS lighterman.receipt (
            feed text NOT NULL, sequence bigint NOT NULL, run bigint NOT NULL, from_position text NOT NULL, to_position text NOT NULL,
            read bigint NOT NULL, inserted bigint NOT NULL, updated bigint NOT NULL, unchanged bigint NOT NULL, deleted bigint NOT NULL,
            dropped bigint NOT NULL, set_aside bigint NOT NULL, bytes bigint NOT NULL, checksum text NOT NULL, source_time text,
            landed_at timestamptz NOT NULL, superseded bigint NOT NULL DEFAULT 0, PRIMARY KEY (feed, sequence));
        SQL;

    public function __construct(private Connection $connection)
    {
    }

    /** Creates the tables when absent. The caller keeps others from doing so at the same time. */
    public function ensure(): void
    {
        if (! $this->exists()) {
            $this->connection->run(self::CREATE);

            return;
        }
        foreach (['receipt' => 'superseded bigint NOT NULL DEFAULT 0', 'position' => 'identity text'] as $table => $column) {
            if ($this->connection->value('SELECT 1 FROM pg_attribute WHERE attrelid = $1::regclass AND attname = $2', ["lighterman.{$table}", strtok($column, ' ')]) === null) {
                $this->connection->run("ALTER TABLE lighterman.{$table} ADD COLUMN {$column}");
            }
        }
    }

    /** Under which a table is kept that a feed lands in: the feed's own also has its position. */
    public static function line(string $feed, string $fork): string
    {
        return $fork === '' ? $feed : "{$feed}/{$fork}";
    }

    public function knows(TableName $landed): bool
    {
        return $this->exists() && $this->connection->value('SELECT 1 FROM lighterman.position WHERE landed = $1 LIMIT 1', [(string) $landed]) !== null;
    }

    /**
     * Takes a feed, or a route, for the holder of a token and gives its position.
     *
     * @param  TableName|null  $landed  null for a route, which stands for the place in the stream of all its feeds
     * @param  bool  $created  whether the landed table is being created for this feed now
     *
     * @throws LeaseLost when a newer token has been here
     */
    public function claim(string $feed, int $token, ?TableName $landed, bool $created): Position
    {
        $row = $this->connection->row(<<<'SQL'
            INSERT INTO lighterman.position AS p (feed, token, sequence, position, landed, created) VALUES ($1, $2, 0, $3, $4, $5)
            ON CONFLICT (feed) DO UPDATE SET token = greatest(p.token, excluded.token), landed = excluded.landed,
                created = excluded.created OR (p.created AND p.landed = excluded.landed)
            RETURNING token, position
            SQL, [$feed, $token, Position::start()->toJson(), (string) $landed, $created]);
        if ((int) ($row['token'] ?? 0) > $token) {
            throw LeaseLost::to((int) ($row['token'] ?? 0), $token);
        }

        return Position::fromJson((string) ($row['position'] ?? ''));
    }

    /**
     * Locks the holder's line for the transaction under way.
     *
     * @return array{now: string, position: Position} the target's clock, and where the holder stands
     *
     * @throws LeaseLost|SystemTrouble
     */
    public function hold(string $holder, int $token): array
    {
        $row = $this->connection->row('SELECT token, position, clock_timestamp() AS now FROM lighterman.position WHERE feed = $1 FOR UPDATE', [$holder])
            ?? throw SystemTrouble::lasting(Reason::NoPosition, "{$this->connection->settings->system}: the position is gone from lighterman.position.", 'Restore the table from a backup, or start over: a feed on its own page, a route on the page of the route.');
        if ((int) $row['token'] !== $token) {
            throw LeaseLost::to((int) $row['token'], $token);
        }

        return ['now' => (string) $row['now'], 'position' => Position::fromJson((string) $row['position'])];
    }

    /** Keeps beside the position what the catalogue calls the landed table now. */
    public function identify(string $line, TableName $landed): void
    {
        $this->connection->run('UPDATE lighterman.position SET identity = '.LandedIdentity::EXPRESSION.' WHERE feed = $1 AND identity IS DISTINCT FROM '.LandedIdentity::EXPRESSION, [$line, Sql::table($landed)]);
    }

    /**
     * The landed tables among some that are no longer those that were landed in.
     *
     * @param  array<string, TableName>  $landed  by line
     * @return array<string, LandedIdentity> by line
     */
    public function strange(array $landed): array
    {
        $wanted = json_encode(array_map(static fn (string $line, TableName $t): array => ['line' => $line, 'name' => Sql::table($t)], array_keys($landed), array_values($landed)), JSON_THROW_ON_ERROR);
        $expression = str_replace('$2', 'w.name', LandedIdentity::EXPRESSION);
        $strange = [];
        foreach ($this->connection->rows("SELECT w.line, p.identity AS was, {$expression} AS now FROM json_to_recordset(\$1::json) w(line text, name text) JOIN lighterman.position p ON p.feed = w.line WHERE p.identity IS NOT NULL AND p.identity IS DISTINCT FROM {$expression}", [$wanted]) as $row) {
            $strange[(string) $row['line']] = new LandedIdentity((string) $row['was'], $row['now']);
        }

        return $strange;
    }

    /** Whether a feed has ever landed. */
    public function hasBegun(string $feed): bool
    {
        $position = $this->connection->value('SELECT position FROM lighterman.position WHERE feed = $1', [$feed]);

        return $position !== null && Position::fromJson($position)->phase !== 'start';
    }

    public function sequence(string $feed): int
    {
        return (int) $this->connection->value('SELECT sequence FROM lighterman.position WHERE feed = $1', [$feed]);
    }

    public function move(string $feed, Position $to): void
    {
        $this->connection->run('UPDATE lighterman.position SET position = $2 WHERE feed = $1', [$feed, $to->toJson()]);
    }

    /**
     * Stores the receipts of several feeds and moves them on, in two statements however many they are.
     *
     * @param  array<string, Receipt>  $receipts  by feed
     */
    public function store(array $receipts): void
    {
        if ($receipts === []) {
            return;
        }
        $lines = json_encode(array_map(static fn (string $feed, Receipt $r): array => [
            'feed' => $feed, 'sequence' => $r->sequence, 'run' => $r->run, 'from_position' => $r->from->toJson(), 'to_position' => $r->to->toJson(), 'read' => $r->read,
            'inserted' => $r->inserted, 'updated' => $r->updated, 'unchanged' => $r->unchanged, 'deleted' => $r->deleted, 'dropped' => $r->dropped, 'set_aside' => $r->setAside,
            'bytes' => $r->bytes, 'checksum' => $r->checksum, 'source_time' => $r->sourceTime, 'landed_at' => $r->landedAt, 'superseded' => $r->superseded,
        ], array_keys($receipts), array_values($receipts)), JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE);
        $this->connection->run('INSERT INTO lighterman.receipt SELECT * FROM jsonb_populate_recordset(NULL::lighterman.receipt, $1::jsonb)', [$lines]);
        $this->connection->run('UPDATE lighterman.position p SET position = r.to_position, sequence = r.sequence FROM jsonb_to_recordset($1::jsonb) r(feed text, to_position text, sequence bigint) WHERE p.feed = r.feed', [$lines]);
    }

    /** @param  list<string>  $feeds */
    public function forgetReceipts(array $feeds, int $days): void
    {
        $this->connection->run('DELETE FROM lighterman.receipt WHERE feed IN (SELECT json_array_elements_text($1::json)) AND landed_at < now() - make_interval(days => $2::int)', [json_encode($feeds, JSON_THROW_ON_ERROR), $days]);
    }

    /** @return list<string> under which the tables are kept that a feed has landed in */
    public function lines(string $feed): array
    {
        return ! $this->exists() ? [] : array_map(static fn (array $l): string => (string) $l['feed'], $this->connection->rows("SELECT feed FROM lighterman.position WHERE feed = $1 OR starts_with(feed, $1 || '/')", [$feed]));
    }

    /** @return list<TableName> the tables that had been created for the feed */
    public function forget(string $feed): array
    {
        if (! $this->exists()) {
            return [];
        }
        $this->connection->run('DELETE FROM lighterman.receipt WHERE feed = $1', [$feed]);
        $lines = $this->connection->rows("DELETE FROM lighterman.position WHERE feed = $1 OR starts_with(feed, $1 || '/') RETURNING landed, created", [$feed]);

        return array_values(array_map(static fn (array $l): TableName => TableName::parse((string) $l['landed']), array_filter($lines, static fn (array $l): bool => $l['created'] === 't')));
    }

    /** @return list<Receipt> */
    public function receiptsAfter(string $feed, int $sequence): array
    {
        return array_map(static fn (array $r): Receipt => new Receipt(
            (int) $r['sequence'], Position::fromJson((string) $r['from_position']), new Arrival($feed, Position::fromJson((string) $r['to_position']), (int) $r['run'], (int) $r['dropped'], (int) $r['set_aside']),
            (int) $r['read'] - (int) $r['dropped'] - (int) $r['set_aside'], new Counts((int) $r['inserted'], (int) $r['updated'], (int) $r['unchanged'], (int) $r['deleted'], (int) $r['bytes'], (string) $r['checksum'], (int) $r['superseded']),
            $r['source_time'], (string) $r['landed_at'],
        ), $this->connection->rows('SELECT * FROM lighterman.receipt WHERE feed = $1 AND sequence > $2 ORDER BY sequence', [$feed, $sequence]));
    }

    private function exists(): bool
    {
        return $this->connection->value("SELECT to_regclass('lighterman.receipt')") !== null;
    }
}
