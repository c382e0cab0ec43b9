<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres;

use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\SystemTrouble;
use Lighterman\Core\Port\TableName;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Record\Receipt;

/** Lighterman's own bookkeeping in the target, in schema `lighterman`: position and receipts, committed with the rows. */
final readonly class Ledger
{
    private const CREATE = <<<'SQL'
        CREATE SCHEMA IF NOT EXISTS lighterman;
        CREATE TABLE IF NOT EXISTS lighterman.position (
            feed text PRIMARY KEY, token bigint NOT NULL, sequence bigint NOT NULL, position text NOT NULL, landed text NOT NULL,
            created boolean NOT NULL);
        CREATE TABLE IF NOT EXISTS lighterman.receipt (
            feed text NOT NULL, sequence bigint NOT NULL, run bigint NOT NULL, from_position text NOT NULL, to_position text NOT NULL,
            read bigint NOT NULL, inserted bigint NOT NULL, updated bigint NOT NULL, unchanged bigint NOT NULL, deleted bigint NOT NULL,
            dropped bigint NOT NULL, set_aside bigint NOT NULL, bytes bigint NOT NULL, checksum text NOT NULL, source_time text,
            landed_at timestamptz NOT NULL, PRIMARY KEY (feed, sequence));
        SQL;

    public function __construct(private Connection $connection)
    {
    }

    /** Creates the tables when absent. The caller keeps others from doing so at the same time. */
    public function ensure(): void
    {
        if (! $this->exists()) {
            $this->connection->run(self::CREATE);
        }
    }

    public function knows(TableName $landed): bool
    {
        return $this->exists() && $this->connection->value('SELECT 1 FROM lighterman.position WHERE landed = $1 LIMIT 1', [(string) $landed]) !== null;
    }

    /**
     * Takes the feed for the holder of a token and gives its position.
     *
     * @param  bool  $created  whether the landed table is being created for this feed now
     *
     * @throws LeaseLost when a newer token has been here
     */
    public function claim(string $feed, int $token, TableName $landed, bool $created): Position
    {
        $row = $this->connection->row(<<<'SQL'
            INSERT INTO lighterman.position AS p (feed, token, sequence, position, landed, created) VALUES ($1, $2, 0, $3, $4, $5)
            ON CONFLICT (feed) DO UPDATE SET token = greatest(p.token, excluded.token), landed = excluded.landed, created = p.created OR excluded.created
            RETURNING token, position
            SQL, [$feed, $token, Position::start()->toJson(), (string) $landed, $created]);
        if ((int) ($row['token'] ?? 0) > $token) {
            throw LeaseLost::to((int) ($row['token'] ?? 0), $token);
        }

        return Position::fromJson((string) ($row['position'] ?? ''));
    }

    /**
     * Locks the feed's line for the transaction under way.
     *
     * @return array{sequence: int, now: string} the next receipt's number and the target's clock
     *
     * @throws LeaseLost|SystemTrouble
     */
    public function lock(string $feed, int $token, Position $from): array
    {
        $row = $this->connection->row('SELECT token, sequence, position, clock_timestamp() AS now FROM lighterman.position WHERE feed = $1 FOR UPDATE', [$feed])
            ?? throw SystemTrouble::lasting('no_position', "{$this->connection->settings->system}: the position of this feed is gone from lighterman.position.", 'Restore the table from a backup, or start the feed anew.');
        if ((int) $row['token'] !== $token) {
            throw LeaseLost::to((int) $row['token'], $token);
        }
        if (! Position::fromJson((string) $row['position'])->equals($from)) {
            throw SystemTrouble::passing('position_moved', "{$this->connection->settings->system}: the feed stands at another position than the batch begins at.", 'Lighterman reads the position again and goes on from there.');
        }

        return ['sequence' => (int) $row['sequence'] + 1, 'now' => (string) $row['now']];
    }

    public function store(string $feed, Receipt $receipt): void
    {
        $this->connection->run('UPDATE lighterman.position SET position = $2, sequence = $3 WHERE feed = $1', [$feed, $receipt->to->toJson(), $receipt->sequence]);
        $this->connection->run('INSERT INTO lighterman.receipt VALUES ($1, $2, $3, $4, $5, $6, $7, $8, $9, $10, $11, $12, $13, $14, $15, $16)', [
            $feed, $receipt->sequence, $receipt->run, $receipt->from->toJson(), $receipt->to->toJson(), $receipt->read, $receipt->inserted, $receipt->updated,
            $receipt->unchanged, $receipt->deleted, $receipt->dropped, $receipt->setAside, $receipt->bytes, $receipt->checksum, $receipt->sourceTime, $receipt->landedAt,
        ]);
    }

    /** @return bool whether the landed table had been created for the feed */
    public function forget(string $feed): bool
    {
        if (! $this->exists()) {
            return false;
        }
        $this->connection->run('DELETE FROM lighterman.receipt WHERE feed = $1', [$feed]);

        return $this->connection->value('DELETE FROM lighterman.position WHERE feed = $1 RETURNING created', [$feed]) === 't';
    }

    /** @return list<Receipt> */
    public function receiptsAfter(string $feed, int $sequence): array
    {
        return array_map(static fn (array $r): Receipt => new Receipt(
            (int) $r['sequence'], (int) $r['run'], Position::fromJson((string) $r['from_position']), Position::fromJson((string) $r['to_position']),
            (int) $r['read'], (int) $r['inserted'], (int) $r['updated'], (int) $r['unchanged'], (int) $r['deleted'], (int) $r['dropped'], (int) $r['set_aside'],
            (int) $r['bytes'], (string) $r['checksum'], $r['source_time'], (string) $r['landed_at'],
        ), $this->connection->rows('SELECT * FROM lighterman.receipt WHERE feed = $1 AND sequence > $2 ORDER BY sequence', [$feed, $sequence]));
    }

    private function exists(): bool
    {
        return $this->connection->value("SELECT to_regclass('lighterman.receipt')") !== null;
    }
}
