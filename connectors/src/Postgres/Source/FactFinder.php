<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Source;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Core\Capture\ColumnFacts;
use Lighterman\Core\Capture\KeyFacts;
use Lighterman\Core\Capture\Outrun;
use Lighterman\Core\Capture\RowCount;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;

/** Looks at a table's indexes, statistics and rows, so that advice rests on what is there. */
final readonly class FactFinder
{
    /** Above this many rows, nulls are taken from statistics and keys from a sample. */
    private const COUNTED_UP_TO = 2_000_000;

    private const LOOKED_AT = 10_000;

    public function __construct(private Connection $connection)
    {
    }

    /** @param  list<string>  $key columns proposed; empty takes the primary key */
    public function facts(TableName $table, Shape $shape, array $key): TableFacts
    {
        $key = $key ?: $shape->key;
        $oid = Sql::table($table);
        $stats = $this->connection->row('SELECT c.reltuples::bigint AS rows, c.relkind AS kind, s.n_tup_upd AS updates
            FROM pg_class c LEFT JOIN pg_stat_user_tables s ON s.relid = c.oid WHERE c.oid = $1::regclass', [$oid]) ?? [];
        $candidates = array_values(array_filter($shape->columns, static fn (Column $c): bool => $c->type->kind->canBeWatermark()));
        $counted = (int) ($stats['rows'] ?? 0) <= self::COUNTED_UP_TO;
        $found = $counted ? $this->counted($oid, $candidates) : $this->estimated($table, $candidates, (int) $stats['rows']);
        $catalogue = $this->catalogued($oid);
        [$lookedAt, $outrun] = $this->outrun($oid, $candidates, (int) $found['rows'], ($stats['kind'] ?? '') === 'r');

        $columns = [];
        foreach ($candidates as $i => $column) {
            $known = $catalogue[$column->name] ?? [];
            $columns[$column->name] = new ColumnFacts(
                $column,
                (int) ($found["nulls{$i}"] ?? 0),
                (int) ($found["ahead{$i}"] ?? 0),
                ($known['indexed'] ?? '') === 't',
                ($known['single'] ?? '') === 't',
                ($known['given'] ?? '') === 't',
                ($outrun[$column->name][0] ?? 0) > 0 ? new Outrun(...$outrun[$column->name]) : null,
                (int) ($known['cache'] ?? 1),
            );
        }
        [$duplicate, $nullable] = $key === $shape->key || $key === [] ? [null, []] : $this->keyTrouble($oid, $shape, $key, $counted);

        return new TableFacts(
            $table, $shape, new RowCount((int) $found['rows'], $counted, $lookedAt, isset($stats['updates']) ? (int) $stats['updates'] : null),
            $columns, new KeyFacts($key, $duplicate, $nullable),
        );
    }

    /**
     * @param  list<Column>  $candidates
     * @return array<string, string|null>
     */
    private function counted(string $from, array $candidates): array
    {
        $wanted = ['count(*) AS rows'];
        foreach ($candidates as $i => $column) {
            $name = Quoted::name($column->name);
            $wanted[] = "count(*) - count({$name}) AS nulls{$i}";
            if ($column->type->kind->isMoment()) {
                $wanted[] = "count(*) FILTER (WHERE {$name} > now() + interval '1 minute') AS ahead{$i}";
            }
        }

        return $this->connection->row('SELECT '.implode(', ', $wanted)." FROM {$from}") ?? ['rows' => '0'];
    }

    /**
     * @param  list<Column>  $candidates
     * @return array<string, string|null>
     */
    private function estimated(TableName $table, array $candidates, int $rows): array
    {
        $found = ['rows' => (string) $rows];
        $fractions = array_column($this->connection->rows('SELECT attname, null_frac FROM pg_stats WHERE schemaname = $1 AND tablename = $2', [$table->schema, $table->name]), 'null_frac', 'attname');
        foreach ($candidates as $i => $column) {
            $found["nulls{$i}"] = (string) (int) round($rows * (float) ($fractions[$column->name] ?? 0));
        }

        return $found;
    }

    /** @return array<string, array<string, string|null>> by column name */
    private function catalogued(string $oid): array
    {
        $found = [];
        foreach ($this->connection->rows(<<<'SQL'
            SELECT a.attname AS name,
                   EXISTS (SELECT 1 FROM pg_index i WHERE i.indrelid = a.attrelid AND i.indisvalid AND i.indpred IS NULL AND i.indkey[0] = a.attnum) AS indexed,
                   EXISTS (SELECT 1 FROM pg_index i WHERE i.indrelid = a.attrelid AND i.indisunique AND i.indpred IS NULL AND i.indnkeyatts = 1 AND i.indkey[0] = a.attnum) AS single,
                   a.attidentity <> '' OR coalesce(pg_get_expr(d.adbin, d.adrelid) LIKE 'nextval(%', false) AS given,
                   (SELECT q.seqcache FROM pg_sequence q WHERE q.seqrelid = pg_get_serial_sequence($1, a.attname)::regclass) AS cache
            FROM pg_attribute a LEFT JOIN pg_attrdef d ON d.adrelid = a.attrelid AND d.adnum = a.attnum
            WHERE a.attrelid = $1::regclass AND a.attnum > 0 AND NOT a.attisdropped
            SQL, [$oid]) as $row) {
            $found[(string) $row['name']] = $row;
        }

        return $found;
    }

    /**
     * Columns that other moments in the same row are later than: they are set once and do not move with updates.
     *
     * @param  list<Column>  $candidates
     * @return array{int, array<string, array{int, string}>} rows looked at; by column, how many rows outran it and which column most
     */
    private function outrun(string $from, array $candidates, int $rows, bool $table): array
    {
        $moments = array_values(array_filter($candidates, static fn (Column $c): bool => $c->type->kind->isMoment()));
        if (count($moments) < 2 || $rows === 0) {
            return [0, []];
        }
        $wanted = [];
        foreach ($moments as $i => $a) {
            foreach ($moments as $j => $b) {
                if ($i !== $j && $a->type->kind === $b->type->kind) {
                    // A second after the last moment there is no moment.
                    $name = Quoted::name($a->name);
                    $wanted[] = "count(*) FILTER (WHERE {$name} < '294000-01-01' AND ".Quoted::name($b->name)." > {$name} + interval '1 second') AS o{$i}_{$j}";
                }
            }
        }
        $share = $table && $rows > 5 * self::LOOKED_AT ? sprintf(' TABLESAMPLE SYSTEM (%.6F)', min(100, 100 * self::LOOKED_AT / $rows)) : '';
        $looked = 0;
        $outrun = [];
        // A query gives at most 1,664 columns.
        foreach (array_chunk($wanted, 800) as $some) {
            $row = $this->connection->row('SELECT count(*) AS rows, '.implode(', ', $some)." FROM (SELECT * FROM {$from}{$share} LIMIT ".self::LOOKED_AT.') s') ?? [];
            $looked = max($looked, (int) ($row['rows'] ?? 0));
            foreach ($row as $name => $count) {
                if (preg_match('/^o(\d+)_(\d+)$/', $name, $m) && (int) $count > ($outrun[$moments[(int) $m[1]]->name][0] ?? 0)) {
                    $outrun[$moments[(int) $m[1]]->name] = [(int) $count, $moments[(int) $m[2]]->name];
                }
            }
        }

        return [$looked, $outrun];
    }

    /**
     * @param  list<string>  $key
     * @return array{array<string, string>|null, list<string>}
     */
    private function keyTrouble(string $from, Shape $shape, array $key, bool $counted): array
    {
        $known = array_intersect($key, $shape->names());
        if (count($known) !== count($key)) {
            return [null, []];
        }
        $columns = Quoted::names($key);
        $some = $counted ? $from : "(SELECT {$columns} FROM {$from} LIMIT 500000) s";
        $duplicate = $this->connection->row("SELECT {$columns} FROM {$some} WHERE ({$columns}) IS NOT NULL GROUP BY {$columns} HAVING count(*) > 1 LIMIT 1");
        $tests = implode(', ', array_map(static fn (string $k): string => 'bool_or('.Quoted::name($k).' IS NULL) AS '.Quoted::name($k), $key));
        $nullable = $this->connection->row("SELECT {$tests} FROM {$some}") ?? [];

        return [
            $duplicate === null ? null : array_map(strval(...), $duplicate),
            array_values(array_filter($key, static fn (string $k): bool => ($nullable[$k] ?? '') === 't')),
        ];
    }
}
