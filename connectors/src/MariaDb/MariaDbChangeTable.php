<?php

declare(strict_types=1);

namespace Lighterman\Connectors\MariaDb;

use Lighterman\Connectors\Pdo\Seen;
use Lighterman\Connectors\Pdo\SequencedChanges;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\Reason;
use Lighterman\Core\Trouble\SystemTrouble;

/** A change table in MariaDB. */
final class MariaDbChangeTable extends SequencedChanges
{
    /** The error of a column that is not there. */
    private const BAD_FIELD = 1054;

    private readonly MariaDbSpelling $words;

    private readonly MariaDbSource $source;

    public function __construct(private readonly MariaDbSettings $settings, string $id)
    {
        $this->words = new MariaDbSpelling;
        $this->source = new MariaDbSource($settings);
        parent::__construct($settings->system, Session::open($settings, readOnly: false), Session::open($settings, readOnly: true, streams: true), Session::open($settings, readOnly: true), $this->words, $id);
    }

    public function name(): string
    {
        return "{$this->settings->database}.lighterman_changes_{$this->id}";
    }

    protected function changes(): string
    {
        return $this->words->table(new TableName($this->settings->database, "lighterman_changes_{$this->id}"));
    }

    protected function readings(): string
    {
        return $this->words->table(new TableName($this->settings->database, "lighterman_readings_{$this->id}"));
    }

    protected function beginSnapshot(): string
    {
        return 'START TRANSACTION WITH CONSISTENT SNAPSHOT, READ ONLY';
    }

    protected function clockExpression(): string
    {
        return "TIMESTAMPDIFF(MICROSECOND, '1970-01-01', UTC_TIMESTAMP(6))";
    }

    protected function timeExpression(): string
    {
        return "TIMESTAMPDIFF(MICROSECOND, '1970-01-01', at)";
    }

    protected function isHeld(int $from, int $to): bool
    {
        // Without waiting: what another transaction has inserted and not committed is locked by it.
        $this->writing->run('SET TRANSACTION ISOLATION LEVEL READ COMMITTED');
        try {
            $this->writing->inTransaction('START TRANSACTION', fn (): array => $this->writing->rows("SELECT seq FROM {$this->changes()} WHERE seq BETWEEN {$from} AND {$to} FOR UPDATE NOWAIT"));

            return false;
        } catch (SystemTrouble $trouble) {
            return $trouble->reason === Reason::Busy ? true : throw $trouble;
        }
    }

    public function findings(array $tables): array
    {
        $row = $this->writing->row('SELECT VERSION() AS version, @@auto_increment_increment AS step, @@log_bin AS logged, @@log_bin_trust_function_creators AS trusted, CURRENT_USER() AS account') ?? [];
        $account = MariaDbChecks::account((string) $row['account']);
        $grants = implode("\n", MariaDbChecks::grants($this->writing));
        $there = $this->exists();
        $findings = [
            version_compare((string) $row['version'], '10.6', '>=')
                ? Finding::passed('Version', 'The server is new enough.')
                : Finding::failed('Version', 'Recording changes by trigger needs MariaDB 10.6 or later.', 'Upgrade the server, or use capture watermark or reload.'),
            $row['step'] === '1'
                ? Finding::passed('Numbering', 'Numbers given at insert go up by one.')
                : Finding::failed('Numbering', "Numbers given at insert go up by {$row['step']}, so changes that are still open cannot be told from numbers never given.", 'Use a server with auto_increment_increment = 1, or capture watermark or reload.'),
            $row['logged'] === '0' || $row['trusted'] === '1' || str_contains($grants, 'SUPER') || str_contains($grants, 'ALL PRIVILEGES ON *.*')
                ? Finding::passed('Binary log', 'It does not forbid triggers.')
                : Finding::failed('Binary log', 'The server writes a binary log and lets only administrators make triggers.', 'SET GLOBAL log_bin_trust_function_creators = 1;'),
            $there || $this->may($grants, 'CREATE', null)
                ? Finding::passed('Change table', $there ? 'It is there.' : "It will be made in {$this->settings->database}.")
                : Finding::failed('Change table', "{$this->settings->user} may not make a change table in {$this->settings->database}.", "GRANT CREATE, DROP, INSERT, UPDATE, DELETE ON {$this->words->name($this->settings->database)}.* TO {$account};"),
        ];
        foreach ($tables as $table) {
            $findings[] = $this->finding($table, $grants, $account, $there);
        }

        return $findings;
    }

    private function finding(TableName $table, string $grants, string $account, bool $there): Finding
    {
        $kind = $this->writing->row('SELECT TABLE_TYPE AS type, ENGINE AS engine FROM information_schema.TABLES WHERE TABLE_SCHEMA = ? AND TABLE_NAME = ?', [$table->schema, $table->name]);

        return match (true) {
            $kind === null => Finding::noTable($table),
            $kind['type'] !== 'BASE TABLE' => Finding::failed((string) $table, "{$table} is not a table that triggers can be put on.", 'Use capture reload or watermark for it.'),
            $kind['engine'] !== 'InnoDB' => Finding::failed((string) $table, "{$table} is kept by {$kind['engine']}, which has no transactions: a change could be recorded and not made.", "ALTER TABLE {$this->words->table($table)} ENGINE = InnoDB;"),
            ! $this->may($grants, 'TRIGGER', $table->name) => Finding::failed((string) $table, "{$this->settings->user} may not put triggers on {$table}.", "GRANT TRIGGER ON {$this->words->table($table)} TO {$account};"),
            $there && $this->amiss([$table]) === [] => Finding::passed((string) $table, 'Its triggers are in place.'),
            default => Finding::passed((string) $table, 'Triggers will be put on it.'),
        };
    }

    /** Whether a privilege was granted to the account itself, for everything, the database or the table. */
    private function may(string $grants, string $privilege, ?string $table): bool
    {
        $names = ['*.*', "`{$this->settings->database}`.*", str_replace('_', '\\_', "`{$this->settings->database}`.*"), ...($table === null ? [] : ["`{$this->settings->database}`.`{$table}`"])];
        foreach (explode("\n", $grants) as $grant) {
            if (preg_match('/^GRANT (.*?) ON (\S+) TO /', $grant, $m) && in_array($m[2], $names, true) && preg_match("/\\b({$privilege}|ALL PRIVILEGES)\\b/", $m[1])) {
                return true;
            }
        }

        return false;
    }

    public function exists(): bool
    {
        return $this->writing->value('SELECT count(*) FROM information_schema.TABLES WHERE TABLE_SCHEMA = ? AND TABLE_NAME IN (?, ?)', [$this->settings->database, "lighterman_changes_{$this->id}", "lighterman_readings_{$this->id}"]) === '2';
    }

    public function tableStatements(int $first = 0): array
    {
        return [
            "CREATE TABLE {$this->changes()} (seq bigint unsigned NOT NULL AUTO_INCREMENT PRIMARY KEY, at datetime(6) NOT NULL, source varchar(140) NOT NULL, kind varchar(10) NOT NULL, columns longtext, row_before longtext, row_after longtext) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4 COLLATE = utf8mb4_bin",
            "CREATE TABLE {$this->readings()} (number bigint NOT NULL PRIMARY KEY, seen longtext NOT NULL, at bigint NOT NULL) ENGINE = InnoDB DEFAULT CHARSET = utf8mb4",
            "INSERT INTO {$this->readings()} SELECT {$first}, '".new Seen(0, [])."', {$this->clockExpression()}",
        ];
    }

    public function triggerStatements(TableName $table): array
    {
        $shape = $this->source->shape($table);

        return array_map(fn (string $event): string => "CREATE TRIGGER {$this->trigger($table, $event)} AFTER ".strtoupper($event)." ON {$this->words->table($table)} FOR EACH ROW {$this->body($table, $shape, $event)}", array_keys(self::EVENTS));
    }

    private function trigger(TableName $table, string $event): string
    {
        return $this->words->table(new TableName($table->schema, "lighterman_{$this->id}_".hash('xxh32', (string) $table)."_{$event}"));
    }

    /** A column dropped under the trigger must not make the source's own writing fail: that a change could not be written down is written down instead. */
    private function body(TableName $table, Shape $shape, string $event): string
    {
        $recorded = $this->recorded($shape, $event);
        $name = $this->words->text((string) $table);

        return 'BEGIN DECLARE EXIT HANDLER FOR '.self::BAD_FIELD." INSERT INTO {$this->changes()} (at, source, kind) VALUES (UTC_TIMESTAMP(6), {$name}, 'unclear'); "
            ."INSERT INTO {$this->changes()} (at, source, kind, columns, row_before, row_after) VALUES (UTC_TIMESTAMP(6), {$name}, '{$event}', {$recorded}); END";
    }

    public function amiss(array $tables): array
    {
        $amiss = [];
        $unclear = array_column($this->writing->rows("SELECT DISTINCT source FROM {$this->changes()} WHERE kind = 'unclear'"), 'source');
        foreach ($tables as $table) {
            $there = [];
            foreach ($this->writing->rows('SELECT EVENT_MANIPULATION AS event, ACTION_STATEMENT AS body FROM information_schema.TRIGGERS WHERE TRIGGER_SCHEMA = ? AND EVENT_OBJECT_TABLE = ? AND TRIGGER_NAME LIKE ?', [$table->schema, $table->name, "lighterman\\_{$this->id}\\_%"]) as $row) {
                $there[strtolower((string) $row['event'])] = $row['body'];
            }
            $shape = self::shapeIfThere(fn (): Shape => $this->source->shape($table));
            $why = match (true) {
                $shape === null => 'the table is gone',
                count($there) < count(self::EVENTS) => 'a trigger was missing',
                in_array((string) $table, $unclear, true) => 'a column was dropped under the triggers',
                array_filter(array_keys(self::EVENTS), fn (string $e): bool => $there[$e] !== $this->body($table, $shape, $e)) !== [] => 'the triggers were older than the table\'s shape',
                default => null,
            };
            if ($why !== null) {
                $amiss[(string) $table] = $why;
            }
        }

        return $amiss;
    }

    public function uninstall(TableName $table): void
    {
        foreach (array_keys(self::EVENTS) as $event) {
            $this->writing->run("DROP TRIGGER IF EXISTS {$this->trigger($table, $event)}");
        }
        $this->writing->rows("DELETE FROM {$this->changes()} WHERE kind = 'unclear' AND source = ?", [(string) $table]);
    }

    public function drop(): void
    {
        foreach ($this->writing->rows('SELECT TRIGGER_SCHEMA AS s, TRIGGER_NAME AS n FROM information_schema.TRIGGERS WHERE TRIGGER_SCHEMA = ? AND TRIGGER_NAME LIKE ?', [$this->settings->database, "lighterman\\_{$this->id}\\_%"]) as $row) {
            $this->writing->run('DROP TRIGGER IF EXISTS '.$this->words->table(new TableName((string) $row['s'], (string) $row['n'])));
        }
        $this->writing->run("DROP TABLE IF EXISTS {$this->changes()}, {$this->readings()}");
    }

    public function bytes(): int
    {
        return (int) $this->writing->value('SELECT DATA_LENGTH + INDEX_LENGTH FROM information_schema.TABLES WHERE TABLE_SCHEMA = ? AND TABLE_NAME = ?', [$this->settings->database, "lighterman_changes_{$this->id}"]);
    }

    /**
     * The numbers under which the engine keeps a table and its partitions. Emptying one fires no trigger, and leaves the time at
     * which it was made as it is, but it is kept under another number from then on.
     *
     * @return string empty where the account may not see them
     *
     * @see https://mariadb.com/kb/en/information-schema-innodb_sys_tables-table/
     */
    private function stores(TableName $table): string
    {
        try {
            return ' '.$this->writing->value(<<<'SQL'
                SELECT group_concat(t.TABLE_ID ORDER BY t.NAME) FROM information_schema.INNODB_SYS_TABLES t
                    JOIN (SELECT concat(cast(convert(? USING filename) AS BINARY), '/', cast(convert(? USING filename) AS BINARY)) AS name) w
                WHERE cast(t.NAME AS BINARY) = w.name OR left(cast(t.NAME AS BINARY), length(w.name) + 3) = concat(w.name, '#P#')
                SQL, [$table->schema, $table->name]);
        } catch (SystemTrouble $trouble) {
            return $trouble->reason === Reason::NoPrivilege ? '' : throw $trouble;
        }
    }

    /** Taking a partition away makes the table anew. */
    public function identities(array $tables): array
    {
        $identities = [];
        foreach ($tables as $table) {
            $made = $this->writing->value('SELECT CREATE_TIME FROM information_schema.TABLES WHERE TABLE_SCHEMA = ? AND TABLE_NAME = ?', [$table->schema, $table->name]);
            $triggers = $this->writing->value('SELECT group_concat(CREATED ORDER BY TRIGGER_NAME) FROM information_schema.TRIGGERS WHERE TRIGGER_SCHEMA = ? AND EVENT_OBJECT_TABLE = ? AND TRIGGER_NAME LIKE ?', [$table->schema, $table->name, "lighterman\\_{$this->id}\\_%"]);
            if ($made !== null) {
                $identities[(string) $table] = new TableIdentity((string) $table, '', [], [], ['the table itself' => "{$made}{$this->stores($table)}", 'what records its changes' => (string) $triggers]);
            }
        }

        return $identities;
    }
}
