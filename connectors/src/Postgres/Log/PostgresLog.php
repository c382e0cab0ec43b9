<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Log;

use InvalidArgumentException;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Identities;
use Lighterman\Connectors\Postgres\Server\PostgresSettings;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Port\ChangeLog;
use Lighterman\Core\Port\LoadChunk;
use Lighterman\Core\Port\LogReader;
use Lighterman\Core\Port\LogState;
use Lighterman\Core\Position\LogPlace;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\StatementTrouble;
use Lighterman\Core\Trouble\StreamTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/** PostgreSQL's logical replication log: one slot and one publication for a route. */
final class PostgresLog implements ChangeLog
{
    /** Marks by which our own messages in the log are told from those of others. */
    public const MARK = 'lighterman';

    private const MADE_BY_US = 'Made by Lighterman';

    private readonly Connection $writing;

    private readonly Connection $reading;

    public function __construct(private readonly PostgresSettings $settings, private readonly string $slot, private readonly string $publication)
    {
        $this->writing = new Connection($settings, 'lighterman log set-up', readOnly: false);
        $this->reading = new Connection($settings, Connection::READER, readOnly: true);
    }

    public function check(array $tables): array
    {
        return $this->checks()->findings($tables);
    }

    public function statements(array $tables): array
    {
        return [
            ...$this->publishing($this->checks()->missing($tables)),
            ...($this->state() === null ? ['SELECT pg_create_logical_replication_slot('.Quoted::literal($this->slot).", 'pgoutput')"] : []),
        ];
    }

    public function amiss(array $tables): array
    {
        return $this->checks()->heirs($tables)
            + array_fill_keys(array_map(strval(...), $this->checks()->missing($tables)), "was taken out of publication {$this->publication}")
            + $this->checks()->filtered($tables)
            + ($this->checks()->leavesOut() ? array_fill_keys(array_map(strval(...), $tables), "publication {$this->publication} was altered to leave out some kinds of change") : []);
    }

    public function ensure(array $tables, bool $begin, ?Place $after = null): Place
    {
        if (! $begin) {
            $this->required();
        }
        foreach ($this->check($tables) as $finding) {
            if ($finding->result === 'failed') {
                throw StreamTrouble::notReady($this->settings->system, $finding->said, (string) $finding->remedy);
            }
        }
        array_map($this->writing->run(...), [...$this->restoring($tables), ...$this->publishing($this->checks()->missing($tables))]);
        if ($begin && $this->state() === null) {
            $this->createSlot();
        }

        return LogPlace::parse((string) $this->writing->value('SELECT pg_current_wal_insert_lsn()'));
    }

    /**
     * @param  list<TableName>  $tables that the publication lacks
     * @return list<string>
     */
    private function publishing(array $tables): array
    {
        $name = Quoted::name($this->publication);
        $list = implode(', ', array_map(Sql::table(...), $tables));
        if ($this->writing->value('SELECT 1 FROM pg_publication WHERE pubname = $1', [$this->publication]) === null) {
            return ["CREATE PUBLICATION {$name}".($list === '' ? '' : " FOR TABLE {$list}").' WITH (publish_via_partition_root = true)', "COMMENT ON PUBLICATION {$name} IS ".Quoted::literal(self::MADE_BY_US)];
        }

        return $list === '' ? [] : ["ALTER PUBLICATION {$name} ADD TABLE {$list}"];
    }

    /**
     * What puts a publication right that somebody has altered.
     *
     * @param  list<TableName>  $tables
     * @return list<string>
     */
    private function restoring(array $tables): array
    {
        $name = Quoted::name($this->publication);
        $filtered = array_values(array_filter($tables, fn (TableName $t): bool => isset($this->checks()->filtered($tables)[(string) $t])));

        return [
            ...($this->checks()->leavesOut() ? ["ALTER PUBLICATION {$name} SET (".LogChecks::ALL.')'] : []),
            ...array_merge(...array_map(static fn (TableName $t): array => ["ALTER PUBLICATION {$name} DROP TABLE ".Sql::table($t), "ALTER PUBLICATION {$name} ADD TABLE ".Sql::table($t)], $filtered)),
        ];
    }

    private function createSlot(): void
    {
        try {
            // A slot begins where no transaction is open that began before it, so making one waits for those that are.
            $this->writing->run("SET statement_timeout = '15s'");
            $this->writing->run('SELECT pg_create_logical_replication_slot($1, \'pgoutput\')', [$this->slot]);
        } catch (SystemTrouble $trouble) {
            if ($trouble->reason !== Reason::Cancelled) {
                throw $trouble;
            }
            $oldest = $this->reading->row('SELECT pid, usename, extract(epoch FROM now() - xact_start)::int AS seconds FROM pg_stat_activity WHERE backend_xid IS NOT NULL AND pid <> pg_backend_pid() ORDER BY xact_start LIMIT 1');
            throw StatementTrouble::waitsForTransactions($this->settings->system, "{$this->settings->system}: a replication slot can begin only once the transactions that are open now have ended.".($oldest === null ? '' : " The oldest is open for {$oldest['seconds']} s (process {$oldest['pid']}, user {$oldest['usename']})."), 'Lighterman tries again. If it stays so, have that transaction ended.');
        } finally {
            $this->writing->run('RESET statement_timeout');
        }
    }

    public function leave(array $tables): void
    {
        foreach ($tables as $table) {
            $own = $this->writing->value('SELECT 1 FROM pg_publication_rel r JOIN pg_publication p ON p.oid = r.prpubid WHERE p.pubname = $1 AND r.prrelid = to_regclass($2) AND pg_has_role(p.pubowner, \'USAGE\')', [$this->publication, Sql::table($table)]);
            if ($own !== null) {
                $this->writing->run('ALTER PUBLICATION '.Quoted::name($this->publication).' DROP TABLE '.Sql::table($table));
            }
        }
    }

    public function remove(): void
    {
        (new SlotBook($this->settings))->drop($this->slot);
        $ours = $this->writing->value("SELECT obj_description(oid, 'pg_publication') FROM pg_publication WHERE pubname = $1", [$this->publication]);
        if ($ours === self::MADE_BY_US) {
            $this->writing->run('DROP PUBLICATION '.Quoted::name($this->publication));
        }
    }

    public function state(?Place $read = null): ?LogState
    {
        $row = $this->writing->row(<<<'SQL'
            SELECT coalesce(pg_current_wal_lsn() - restart_lsn, 0)::bigint AS retained,
                   pg_current_wal_lsn() AS written, wal_status = 'lost' AS lost
            FROM pg_replication_slots WHERE slot_name = $1
            SQL, [$this->slot]);

        return $row === null ? null : new LogState($read instanceof LogPlace ? max(0, LogPlace::parse((string) $row['written'])->byte - $read->byte) : 0, (int) $row['retained'], $row['lost'] === 't');
    }

    public function open(?Place $from): LogReader
    {
        $this->required();
        $this->free();

        return new PostgresLogReader(ReplicationStream::start($this->settings, $this->slot, $this->publication, $from instanceof LogPlace ? $from : LogPlace::before(0)));
    }

    /** Whoever held the log before lets go of it within moments, or stands still with it. */
    private function free(): void
    {
        for ($tries = 0; ; $tries++) {
            $pid = $this->writing->value('SELECT active_pid FROM pg_replication_slots WHERE slot_name = $1 AND active_pid IS NOT NULL', [$this->slot]);
            if ($pid === null) {
                return;
            }
            if ($tries === 10) {
                $this->writing->run('SELECT pg_terminate_backend($1::int, 5000)', [$pid]);

                return;
            }
            usleep(100_000);
        }
    }

    public function required(?Place $read = null): LogState
    {
        $state = $this->state($read)
            ?? throw StreamTrouble::slotGone($this->settings->system, $this->slot);
        if ($state->lost) {
            throw StreamTrouble::slotLost($this->settings->system, $this->slot);
        }

        return $state;
    }

    public function mark(string $content, bool $after): void
    {
        // Marks take their exact place, so either is right. In a transaction of its own it takes its place among the commits. It is sent once it is flushed, so it does not
        // wait for that where the database commits asynchronously.
        $this->writing->run("SELECT set_config('synchronous_commit', 'local', true), pg_logical_emit_message(true, $1, $2)", [self::MARK, $content]);
    }

    public function chunk(FeedDefinition $definition, Slice $slice, int $rows): LoadChunk
    {
        return (new LoadReader($this->reading))->chunk($definition, $slice, $rows);
    }

    public function passed(FeedDefinition $definition, array $reached, array $keys): array
    {
        return (new LoadReader($this->reading))->passed($definition, $reached, $keys);
    }

    public function sharing(array $definitions): array
    {
        return (new Identities($this->reading))->sharing($definitions);
    }

    public function identities(array $tables): array
    {
        return (new Identities($this->reading))->of($tables, <<<'SQL'
            SELECT json_build_object('the publication', p.oid || ' ' || p.xmin, 'what the publication takes of the table', coalesce(max(r.oid || ' ' || r.xmin), ''))
            FROM pg_publication p LEFT JOIN pg_publication_rel r ON r.prpubid = p.oid AND r.prrelid = c.oid WHERE p.pubname = $2 GROUP BY p.oid, p.xmin
            SQL, $this->publication);
    }

    public function place(string $text): LogPlace
    {
        try {
            return LogPlace::parse($text);
        } catch (InvalidArgumentException $e) {
            throw StreamTrouble::noPlace($this->settings->system, $e->getMessage());
        }
    }

    public function statementForWholeRows(TableName $table): string
    {
        return 'ALTER TABLE '.Sql::table($table).' REPLICA IDENTITY FULL;';
    }

    public function clock(): ClockOffset
    {
        return (new LoadReader($this->reading))->clock();
    }

    public function lingering(array $transactions): bool
    {
        return $transactions !== [] && $this->reading->value("SELECT 1 FROM pg_stat_activity WHERE wait_event = 'SyncRep' AND backend_xid::text::bigint IN (".implode(', ', $transactions).') LIMIT 1') !== null;
    }

    private function checks(): LogChecks
    {
        return new LogChecks($this->writing, $this->slot, $this->publication);
    }
}
