<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\JoinedReceipts;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Connectors\Warehouse\LandedIdentity;
use Lighterman\Connectors\Warehouse\Ledger;
use Lighterman\Core\Port\LeaseLost;
use Lighterman\Core\Port\Owner;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\Positions;
use Lighterman\Core\Position\StartPosition;
use Lighterman\Core\Record\Arrival;
use Lighterman\Core\Record\Counts;
use Lighterman\Core\Record\Receipt;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\MissingTrouble;

/** Lighterman's own bookkeeping in PostgreSQL, in schema `lighterman`. */
final readonly class PostgresLedger implements Ledger
{
    /** What the catalogue calls the table whose quoted name is $2; null when there is none. */
    private const IDENTITY = "(SELECT c.oid || '/' || coalesce(pg_relation_filenode(c.oid), 0) || '/' || (SELECT json_object_agg(attname, attnum) FROM pg_attribute a WHERE a.attrelid = c.oid AND attnum > 0 AND NOT attisdropped) FROM pg_class c WHERE c.oid = to_regclass($2))";

    private const CREATE = <<<'SQL'
        CREATE SCHEMA IF NOT EXISTS lighterman;
        CREATE TABLE IF NOT EXISTS lighterman.position (
            feed text PRIMARY KEY, token bigint NOT NULL, sequence bigint NOT NULL, position text NOT NULL, landed text NOT NULL,
            created boolean NOT NULL, identity text);
        CREATE TABLE IF NOT EXISTS lighterman.receipt (
            feed text NOT NULL, sequence bigint NOT NULL, run bigint NOT NULL, from_position text NOT NULL, to_position text NOT NULL,
            read bigint NOT NULL, inserted bigint NOT NULL, updated bigint NOT NULL, unchanged bigint NOT NULL, deleted bigint NOT NULL,
            dropped bigint NOT NULL, set_aside bigint NOT NULL, bytes bigint NOT NULL, checksum text NOT NULL, source_time text,
            landed_at timestamptz NOT NULL, superseded bigint NOT NULL DEFAULT 0, first_sequence bigint, PRIMARY KEY (feed, sequence));
        SQL;

    public function __construct(private Connection $connection)
    {
    }

    public function ensure(): void
    {
        // Workers that open two feeds of the same new schema at once must not both create it.
        $this->connection->run("SELECT pg_advisory_xact_lock(hashtext('lighterman ledger'))");
        if (! $this->exists()) {
            $this->connection->run(self::CREATE);

            return;
        }
        foreach ([['receipt', 'superseded bigint NOT NULL DEFAULT 0'], ['position', 'identity text'], ['receipt', 'first_sequence bigint']] as [$table, $column]) {
            if ($this->connection->value('SELECT 1 FROM pg_attribute WHERE attrelid = $1::regclass AND attname = $2', ["lighterman.{$table}", strtok($column, ' ')]) === null) {
                $this->connection->run("ALTER TABLE lighterman.{$table} ADD COLUMN {$column}");
            }
        }
    }

    public function landedBy(string $line): ?string
    {
        return $this->exists() ? $this->connection->value('SELECT landed FROM lighterman.position WHERE feed = $1', [$line]) : null;
    }

    public function otherOwner(TableName $landed, ?string $feed): ?Owner
    {
        $row = ! $this->exists() ? null : $this->connection->row(<<<'SQL'
            SELECT split_part(p.feed, '/', 1) AS feed, (SELECT to_char(max(landed_at) AT TIME ZONE 'UTC', 'YYYY-MM-DD HH24:MI "UTC"') FROM lighterman.receipt r WHERE r.feed = split_part(p.feed, '/', 1)) AS since
            FROM lighterman.position p WHERE p.landed = $1 AND split_part(p.feed, '/', 1) IS DISTINCT FROM $2 ORDER BY 2 DESC NULLS LAST, 1 LIMIT 1
            SQL, [(string) $landed, $feed]);

        return $row === null ? null : new Owner((string) $row['feed'], $row['since']);
    }

    public function takeOver(TableName $landed, string $line): void
    {
        $this->connection->run("UPDATE lighterman.position SET landed = '', token = token + 1 WHERE landed = $1 AND split_part(feed, '/', 1) <> split_part($2, '/', 1)", [(string) $landed, $line]);
    }

    public function supersede(string $of, int $token): void
    {
        // A role may end sessions of its own. One that was stopped in the middle of a landing holds its locks for as long as it
        // stands still, and could commit nothing any more. Names of sessions are cut after 63 bytes.
        $this->connection->run(<<<'SQL'
            SELECT set_config('application_name', 'lighterman lands ' || $1::text || ' ' || $2::text, false),
                   (SELECT count(pg_terminate_backend(pid)) FROM pg_stat_activity
                    WHERE datname = current_database() AND usename = current_user AND pid <> pg_backend_pid()
                      AND starts_with(application_name, 'lighterman lands ' || $1::text || ' ') AND substr(application_name, length('lighterman lands ' || $1::text || ' ') + 1)::numeric < $2::numeric)
            SQL, [substr($of, 0, 36), $token]);
    }

    public function newest(string $of): int
    {
        return (int) $this->connection->value('SELECT token FROM lighterman.position WHERE feed = $1', [$of]);
    }

    public function claim(string $line, int $token, ?TableName $landed, bool $created): Position
    {
        $row = $this->connection->row(<<<'SQL'
            INSERT INTO lighterman.position AS p (feed, token, sequence, position, landed, created) VALUES ($1, $2, 0, $3, $4, $5)
            ON CONFLICT (feed) DO UPDATE SET token = greatest(p.token, excluded.token), landed = excluded.landed,
                created = excluded.created OR (p.created AND p.landed = excluded.landed)
            RETURNING token, position
            SQL, [$line, $token, (new StartPosition)->toJson(), (string) $landed, $created]);
        if ((int) ($row['token'] ?? 0) > $token) {
            throw LeaseLost::to((int) ($row['token'] ?? 0), $token);
        }

        return Positions::fromJson((string) ($row['position'] ?? ''));
    }

    public function hold(string $of, int $token): array
    {
        $row = $this->connection->row('SELECT token, position, clock_timestamp() AS now FROM lighterman.position WHERE feed = $1 FOR UPDATE', [$of])
            ?? throw MissingTrouble::position($this->connection->settings->system);
        if ((int) $row['token'] !== $token) {
            throw LeaseLost::to((int) $row['token'], $token);
        }

        return ['now' => (string) $row['now'], 'position' => Positions::fromJson((string) $row['position'])];
    }

    public function identify(string $line, TableName $landed): void
    {
        $this->connection->run('UPDATE lighterman.position SET identity = '.self::IDENTITY.' WHERE feed = $1 AND identity IS DISTINCT FROM '.self::IDENTITY, [$line, Sql::table($landed)]);
    }

    public function strange(array $landed): array
    {
        $wanted = json_encode(array_map(static fn (string $line, TableName $t): array => ['line' => $line, 'name' => Sql::table($t), 'landed' => (string) $t], array_keys($landed), array_values($landed)), JSON_THROW_ON_ERROR);
        $expression = str_replace('$2', 'w.name', self::IDENTITY);
        $strange = [];
        foreach ($this->connection->rows("SELECT w.line, p.identity AS was, {$expression} AS now FROM json_to_recordset(\$1::json) w(line text, name text, landed text) JOIN lighterman.position p ON p.feed = w.line WHERE p.identity IS NOT NULL AND (p.landed <> w.landed OR p.identity IS DISTINCT FROM {$expression})", [$wanted]) as $row) {
            $strange[(string) $row['line']] = new LandedIdentity((string) $row['was'], $row['now']);
        }

        return $strange;
    }

    public function hasBegun(string $feed): bool
    {
        $position = $this->connection->value('SELECT position FROM lighterman.position WHERE feed = $1', [$feed]);

        return $position !== null && Positions::fromJson($position)->hasBegun();
    }

    public function sequence(string $feed): int
    {
        return (int) $this->connection->value('SELECT sequence FROM lighterman.position WHERE feed = $1', [$feed]);
    }

    public function move(string $of, Position $to): void
    {
        $this->connection->run('UPDATE lighterman.position SET position = $2 WHERE feed = $1', [$of, $to->toJson()]);
    }

    /** In two statements, however many they are. */
    public function store(array $receipts): void
    {
        if ($receipts === []) {
            return;
        }
        $lines = json_encode(array_map(static fn (string $feed, Receipt $r): array => [
            'feed' => $feed, 'sequence' => $r->sequence, 'run' => $r->run, 'from_position' => $r->from->toJson(), 'to_position' => $r->to->toJson(), 'read' => $r->read,
            'inserted' => $r->inserted, 'updated' => $r->updated, 'unchanged' => $r->unchanged, 'deleted' => $r->deleted, 'dropped' => $r->dropped, 'set_aside' => $r->setAside,
            'bytes' => $r->bytes, 'checksum' => $r->checksum, 'source_time' => $r->sourceTime, 'landed_at' => $r->landedAt, 'superseded' => $r->superseded, 'first_sequence' => $r->first,
        ], array_keys($receipts), array_values($receipts)), JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE);
        $this->connection->run('INSERT INTO lighterman.receipt SELECT * FROM jsonb_populate_recordset(NULL::lighterman.receipt, $1::jsonb)', [$lines]);
        $this->connection->run('UPDATE lighterman.position p SET position = r.to_position, sequence = r.sequence FROM jsonb_to_recordset($1::jsonb) r(feed text, to_position text, sequence bigint) WHERE p.feed = r.feed', [$lines]);
    }

    public function tidyReceipts(array $feeds, ?int $hours, int $days): void
    {
        $which = 'feed IN (SELECT json_array_elements_text($1::json))';
        $feeds = json_encode($feeds, JSON_THROW_ON_ERROR);
        $this->connection->run("DELETE FROM lighterman.receipt WHERE {$which} AND landed_at < now() - make_interval(days => \$2::int)", [$feeds, $days]);
        $hours === null || $this->connection->run(JoinedReceipts::statement('lighterman.receipt', 'feed', 'run', $which, '$2::int'), [$feeds, $hours]);
    }

    public function lines(string $feed): array
    {
        return ! $this->exists() ? [] : array_map(static fn (array $l): string => (string) $l['feed'], $this->connection->rows("SELECT feed FROM lighterman.position WHERE feed = $1 OR starts_with(feed, $1 || '/')", [$feed]));
    }

    public function forget(string $feed): array
    {
        if (! $this->exists()) {
            return [];
        }
        $this->connection->run('DELETE FROM lighterman.receipt WHERE feed = $1', [$feed]);
        $lines = $this->connection->rows("DELETE FROM lighterman.position WHERE feed = $1 OR starts_with(feed, $1 || '/') RETURNING landed, created", [$feed]);

        return array_values(array_map(static fn (array $l): TableName => TableName::parse((string) $l['landed']), array_filter($lines, static fn (array $l): bool => $l['created'] === 't')));
    }

    public function receiptsAfter(string $feed, int $sequence): array
    {
        return array_map(static fn (array $r): Receipt => new Receipt(
            (int) $r['sequence'], Positions::fromJson((string) $r['from_position']), new Arrival($feed, Positions::fromJson((string) $r['to_position']), (int) $r['run'], (int) $r['dropped'], (int) $r['set_aside']),
            (int) $r['read'] - (int) $r['dropped'] - (int) $r['set_aside'], new Counts((int) $r['inserted'], (int) $r['updated'], (int) $r['unchanged'], (int) $r['deleted'], (int) $r['bytes'], (string) $r['checksum'], (int) $r['superseded']),
            $r['source_time'], (string) $r['landed_at'], isset($r['first_sequence']) ? (int) $r['first_sequence'] : null,
        ), $this->connection->rows('SELECT * FROM lighterman.receipt WHERE feed = $1 AND sequence > $2 ORDER BY sequence', [$feed, $sequence]));
    }

    private function exists(): bool
    {
        return $this->connection->value("SELECT to_regclass('lighterman.receipt')") !== null;
    }
}
