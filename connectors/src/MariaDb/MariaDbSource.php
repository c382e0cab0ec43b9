<?php

declare(strict_types=1);

namespace Lighterman\Connectors\MariaDb;

use Lighterman\Connectors\Pdo\IndexFacts;
use Lighterman\Connectors\Pdo\PdoConnection;
use Lighterman\Connectors\Pdo\PdoSource;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\SourceMoment;
use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Guarantee\SourceCapabilities;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\TypeKind;

/** A MariaDB database that rows come from. Its sessions only read. */
final class MariaDbSource extends PdoSource
{
    private ?SourceCapabilities $capabilities = null;

    public function __construct(private readonly MariaDbSettings $settings)
    {
        parent::__construct($settings->system, Session::open($settings, readOnly: true), new MariaDbSpelling);
    }

    public function check(): array
    {
        return (new MariaDbChecks($this->settings, $this->connection))->findings();
    }

    public function capabilities(): SourceCapabilities
    {
        return $this->capabilities ??= new SourceCapabilities(
            MariaDbChecks::seesProcesses($this->connection),
            [Capture::Reload, Capture::Watermark, Capture::Trigger],
            'Here no trigger fires for rows that a foreign key changes or deletes along with others, nor for TRUNCATE. That a table was emptied so is noticed if the account has PROCESS, and it is loaded again.',
            'Grant PROCESS',
            'Most collations of MariaDB take abc, ABC and abc with a blank after it for one key.',
        );
    }

    protected function readingSession(): PdoConnection
    {
        return Session::open($this->settings, readOnly: true, streams: true);
    }

    protected function tables(): array
    {
        return array_map(static fn (array $t): array => [
            new TableName((string) $t['s'], (string) $t['n']), $t['r'] === null ? null : (int) $t['r'], (int) $t['b'], $t['c'] === '' || $t['c'] === 'VIEW' ? null : $t['c'],
        ], $this->connection->rows("SELECT TABLE_SCHEMA AS s, TABLE_NAME AS n, TABLE_ROWS AS r, coalesce(DATA_LENGTH + INDEX_LENGTH, 0) AS b, TABLE_COMMENT AS c FROM information_schema.TABLES
            WHERE TABLE_SCHEMA = DATABASE() AND TABLE_TYPE IN ('BASE TABLE', 'VIEW', 'SYSTEM VERSIONED') AND TABLE_NAME NOT LIKE 'lighterman|_%' ESCAPE '|' ORDER BY TABLE_NAME"));
    }

    /** When a table was made is told to the second; a column that is dropped and added again comes last. */
    public function identity(TableName $table): ?TableIdentity
    {
        $columns = $this->connection->rows('SELECT t.CREATE_TIME AS made, c.COLUMN_NAME AS name, c.ORDINAL_POSITION AS place, c.COLUMN_TYPE AS type FROM information_schema.TABLES t JOIN information_schema.COLUMNS c USING (TABLE_SCHEMA, TABLE_NAME) WHERE t.TABLE_SCHEMA = ? AND t.TABLE_NAME = ?', [$table->schema, $table->name]);

        return $columns === [] || $columns[0]['made'] === null ? null : new TableIdentity('', '', array_map(static fn (array $c): array => [(string) $c['place'], (string) $c['type']], array_column($columns, null, 'name')), recording: ['the table itself' => $columns[0]['made']]);
    }

    protected function shapes(?TableName $only): array
    {
        $rows = $this->connection->rows("SELECT c.TABLE_SCHEMA AS table_schema, c.TABLE_NAME AS table_name, c.COLUMN_NAME AS column_name, c.DATA_TYPE AS data_type, c.COLUMN_TYPE AS column_type, c.IS_NULLABLE AS is_nullable,
                c.CHARACTER_MAXIMUM_LENGTH AS character_maximum_length, c.NUMERIC_PRECISION AS numeric_precision, c.NUMERIC_SCALE AS numeric_scale, c.DATETIME_PRECISION AS datetime_precision,
                c.COLUMN_COMMENT AS comment, c.IS_GENERATED AS is_generated,
                EXISTS (SELECT 1 FROM information_schema.CHECK_CONSTRAINTS k WHERE k.CONSTRAINT_SCHEMA = c.TABLE_SCHEMA AND k.TABLE_NAME = c.TABLE_NAME AND k.CHECK_CLAUSE = concat('json_valid(`', c.COLUMN_NAME, '`)')) AS is_json
            FROM information_schema.COLUMNS c WHERE c.TABLE_SCHEMA = ".($only === null ? 'DATABASE()' : '?')." AND (? = '' OR c.TABLE_NAME = ?) ORDER BY c.TABLE_NAME, c.ORDINAL_POSITION", $only === null ? ['', ''] : [$only->schema, $only->name, $only->name]);
        $columns = $keys = $shapes = [];
        foreach ($rows as $row) {
            $columns["{$row['table_schema']}.{$row['table_name']}"][] = new Column((string) $row['column_name'], TypeMap::read($row), $row['is_nullable'] === 'YES', $row['comment'] === '' ? null : $row['comment'], $row['is_generated'] === 'ALWAYS');
        }
        foreach ($this->connection->rows('SELECT TABLE_SCHEMA AS s, TABLE_NAME AS n, COLUMN_NAME AS c FROM information_schema.STATISTICS WHERE TABLE_SCHEMA = '.($only === null ? 'DATABASE()' : '?')." AND INDEX_NAME = 'PRIMARY' AND (? = '' OR TABLE_NAME = ?) ORDER BY SEQ_IN_INDEX", $only === null ? ['', ''] : [$only->schema, $only->name, $only->name]) as $row) {
            $keys["{$row['s']}.{$row['n']}"][] = (string) $row['c'];
        }
        foreach ($columns as $table => $list) {
            $shapes[$table] = new Shape($list, $keys[$table] ?? []);
        }

        return $shapes;
    }

    protected function indexFacts(TableName $table): IndexFacts
    {
        $indexes = [];
        foreach ($this->connection->rows('SELECT INDEX_NAME AS i, COLUMN_NAME AS c, NON_UNIQUE AS n FROM information_schema.STATISTICS WHERE TABLE_SCHEMA = ? AND TABLE_NAME = ? ORDER BY INDEX_NAME, SEQ_IN_INDEX', [$table->schema, $table->name]) as $row) {
            $indexes[(string) $row['i']] = ['columns' => [...($indexes[(string) $row['i']]['columns'] ?? []), (string) $row['c']], 'unique' => $row['n'] === '0'];
        }
        $given = array_column($this->connection->rows("SELECT COLUMN_NAME AS c FROM information_schema.COLUMNS WHERE TABLE_SCHEMA = ? AND TABLE_NAME = ? AND EXTRA LIKE '%auto_increment%'", [$table->schema, $table->name]), 'c');
        $rows = $this->connection->value('SELECT TABLE_ROWS FROM information_schema.TABLES WHERE TABLE_SCHEMA = ? AND TABLE_NAME = ?', [$table->schema, $table->name]);

        return new IndexFacts(array_values($indexes), array_map(strval(...), $given), $rows === null ? null : (int) $rows);
    }

    protected function now(): string
    {
        return 'NOW(6) + INTERVAL 1 MINUTE';
    }

    /**
     * Transactions show when they began in whole seconds, and begin within the statement whose clock stamps the rows; the
     * margins cover both, and statements under way count from their own start.
     */
    protected function moment(FeedDefinition $definition): SourceMoment
    {
        $kind = $definition->origin->watermarkColumn() === null ? null : $definition->origin->shape->column($definition->origin->watermarkColumn())?->type->kind;
        $clock = (string) $this->connection->value("SELECT DATE_FORMAT(NOW(6), '%Y-%m-%d %H:%i:%s.%f')");
        $oldest = ! $this->capabilities()->seesOpenTransactions ? null : $this->connection->value("SELECT DATE_FORMAT(min(began), '%Y-%m-%d %H:%i:%s.%f') FROM (
            SELECT CONVERT_TZ(trx_started, 'SYSTEM', '+00:00') - INTERVAL 1 SECOND AS began FROM information_schema.INNODB_TRX WHERE trx_mysql_thread_id <> CONNECTION_ID()
            UNION ALL SELECT NOW(6) - INTERVAL TIME_MS / 1000 SECOND FROM information_schema.PROCESSLIST WHERE COMMAND IN ('Query', 'Execute') AND ID <> CONNECTION_ID()) open");
        $held = (string) $this->connection->value("SELECT DATE_FORMAT(least(TIMESTAMP(?) - INTERVAL 500000 MICROSECOND, coalesce(TIMESTAMP(?), '9999-12-31')), '%Y-%m-%d %H:%i:%s.%f')", [$clock, $oldest]);
        $local = fn (string $format): ?string => $this->connection->value("SELECT DATE_FORMAT(CONVERT_TZ(TIMESTAMP(?), '+00:00', @@global.time_zone), ?)", [$held, $format]);
        $bound = match ($kind) {
            null => null,
            TypeKind::TimestampTz => $held,
            TypeKind::Timestamp => $local('%Y-%m-%d %H:%i:%s.%f'),
            TypeKind::Date => $local('%Y-%m-%d'),
            default => $this->connection->value('SELECT CAST(max('.$this->spelling->name((string) $definition->origin->watermarkColumn()).') AS CHAR) FROM '.$this->spelling->table($definition->origin->table)),
        };
        // A column that keeps whole seconds, say, drops the rest, so the second under way has to stay open.
        $digits = $definition->origin->watermarkColumn() === null ? 6 : ($definition->origin->shape->column($definition->origin->watermarkColumn())->type->length ?? 6);
        if ($bound !== null && in_array($kind, [TypeKind::Timestamp, TypeKind::TimestampTz], true)) {
            $bound = rtrim(substr($bound, 0, 20 + $digits), '.').($kind === TypeKind::TimestampTz ? '+00' : '');
        }
        $iso = static fn (?string $t): ?string => $t === null ? null : str_replace(' ', 'T', $t).'Z';

        return new SourceMoment((string) $iso($clock), $iso($oldest), $bound, (string) $iso($held));
    }
}
