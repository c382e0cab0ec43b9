<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Server;

use Lighterman\Connectors\Reading\Candidates;
use Lighterman\Core\Port\CatalogueEntry;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Trouble\MissingTrouble;

/** Reads tables, columns and keys from PostgreSQL's own catalogue. */
final readonly class Catalogue
{
    private const COLUMNS = <<<'SQL'
        SELECT c.oid AS "table", a.attname AS "column", a.attnotnull AS required, a.attgenerated <> '' AS generated,
               col_description(c.oid, a.attnum) AS comment,
               b.typname AS name, bn.nspname AS schema, b.typtype AS kind,
               CASE WHEN t.typtype = 'd' THEN t.typtypmod ELSE a.atttypmod END AS modifier,
               format_type(b.oid, CASE WHEN t.typtype = 'd' THEN t.typtypmod ELSE a.atttypmod END) AS written,
               e.typname AS e_name, en.nspname AS e_schema, e.typtype AS e_kind,
               format_type(e.oid, CASE WHEN t.typtype = 'd' THEN t.typtypmod ELSE a.atttypmod END) AS e_written,
               (SELECT json_agg(enumlabel ORDER BY enumsortorder) FROM pg_enum WHERE enumtypid IN (b.oid, e.oid)) AS labels
        FROM pg_class c
        JOIN pg_namespace n ON n.oid = c.relnamespace
        JOIN pg_attribute a ON a.attrelid = c.oid AND a.attnum > 0 AND NOT a.attisdropped
        JOIN pg_type t ON t.oid = a.atttypid
        JOIN pg_type b ON b.oid = CASE WHEN t.typtype = 'd' THEN t.typbasetype ELSE t.oid END
        JOIN pg_namespace bn ON bn.oid = b.typnamespace
        LEFT JOIN pg_type e ON e.oid = b.typelem AND e.typarray = b.oid
        LEFT JOIN pg_namespace en ON en.oid = e.typnamespace
        WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND n.nspname NOT IN ('pg_catalog', 'information_schema') AND n.nspname !~ '^pg_(toast|temp)'
        SQL;

    public function __construct(private Connection $connection)
    {
    }

    public function shape(TableName $table): Shape
    {
        $found = $this->find($table);
        if ($found === null && $this->connection->value('SELECT to_regclass($1) IS NOT NULL', [Sql::table($table)]) === 't') {
            throw MissingTrouble::anyColumn($this->connection->settings->system, $table);
        }
        if ($found === null) {
            throw MissingTrouble::table($this->connection->settings->system, $table, "{$this->connection->settings->user} may not see it", 'The table was dropped or renamed, or lies in another schema. Restore it, or remove the feed.');
        }

        return $found;
    }

    public function find(TableName $table): ?Shape
    {
        $columns = $this->connection->again(self::COLUMNS.' AND n.nspname = $1 AND c.relname = $2 ORDER BY a.attnum', [$table->schema, $table->name]);
        if ($columns === []) {
            return null;
        }
        $keys = $this->keys([(string) $columns[0]['table']]);

        return new Shape(array_map($this->column(...), $columns), $keys[$columns[0]['table']] ?? []);
    }

    /** @return list<CatalogueEntry> */
    public function all(): array
    {
        $tables = $this->connection->rows(<<<'SQL'
            SELECT c.oid, n.nspname, c.relname, obj_description(c.oid) AS comment, pg_total_relation_size(c.oid) AS bytes,
                   CASE WHEN c.relkind IN ('v', 'f') OR c.reltuples < 0 THEN NULL ELSE c.reltuples::bigint END AS rows
            FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace
            WHERE c.relkind IN ('r', 'p', 'v', 'm', 'f') AND NOT c.relispartition
              AND n.nspname NOT IN ('pg_catalog', 'information_schema', 'lighterman') AND n.nspname !~ '^pg_(toast|temp)'
              AND has_schema_privilege(n.oid, 'USAGE') AND has_table_privilege(c.oid, 'SELECT')
            ORDER BY n.nspname, c.relname
            SQL);
        $columns = [];
        foreach ($this->connection->rows(self::COLUMNS.' ORDER BY c.oid, a.attnum') as $row) {
            $columns[(string) $row['table']][] = $this->column($row);
        }
        $keys = $this->keys();

        return array_map(function (array $t) use ($columns, $keys): CatalogueEntry {
            $shape = new Shape($columns[$t['oid']] ?? [], $keys[$t['oid']] ?? []);

            return new CatalogueEntry(
                new TableName((string) $t['nspname'], (string) $t['relname']),
                $shape,
                $t['rows'] === null ? null : (int) $t['rows'],
                (int) $t['bytes'],
                Candidates::of($shape),
                $t['comment'],
            );
        }, $tables);
    }

    /** @param  array<string, string|null>  $row */
    private function column(array $row): Column
    {
        $type = $row['e_name'] === null
            ? TypeMap::read($row)
            : Type::listOf(TypeMap::read(['name' => $row['e_name'], 'schema' => $row['e_schema'], 'kind' => $row['e_kind'], 'modifier' => $row['modifier'], 'written' => $row['e_written'], 'labels' => $row['labels']]));

        return new Column((string) $row['column'], $type, $row['required'] !== 't', $row['comment'], $row['generated'] === 't');
    }

    /**
     * @param  list<string>|null  $tables  oids; null for all
     * @return array<string, list<string>> primary key columns by table oid
     */
    private function keys(?array $tables = null): array
    {
        $keys = [];
        $rows = $this->connection->again(<<<'SQL'
            SELECT i.indrelid AS "table", a.attname AS "column"
            FROM pg_index i CROSS JOIN LATERAL unnest(i.indkey::int2[]) WITH ORDINALITY k(attnum, place)
            JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = k.attnum
            WHERE i.indisprimary AND ($1::text IS NULL OR i.indrelid = $1::oid)
            ORDER BY i.indrelid, k.place
            SQL, [$tables[0] ?? null]);
        foreach ($rows as $row) {
            $keys[(string) $row['table']][] = (string) $row['column'];
        }

        return $keys;
    }

    /**
     * One row by key values given as text.
     *
     * @param  array<string, string>  $key
     * @return array<string, string|null>|null
     */
    public function rowByKey(TableName $table, array $key): ?array
    {
        $shape = $this->shape($table);
        foreach (array_diff(array_keys($key), $shape->names()) as $column) {
            throw MissingTrouble::column($this->connection->settings->system, $table, $column);
        }
        [$where, $values] = Sql::keyEquals($shape, $key);

        return $this->connection->row('SELECT * FROM '.Sql::table($table)." WHERE {$where} LIMIT 1", $values);
    }
}
