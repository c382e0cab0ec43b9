<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Server;

use Lighterman\Core\Capture\TableIdentity;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Shape\TableName;

/**
 * What PostgreSQL's catalogue keeps of tables, by which it is told when one was replaced or meddled with.
 *
 * The number of the transaction that wrote a row of the catalogue (`xmin`) stays readable after freezing, so that it
 * tells an altered row from one that was left alone.
 *
 * @see https://www.postgresql.org/docs/15/ddl-system-columns.html
 */
final readonly class Identities
{
    public function __construct(private Connection $connection)
    {
    }

    /**
     * @param  list<TableName>  $tables
     * @param  string  $recording  a query for a JSON object about `c.oid`, with $2 for its parameter
     * @return array<string, TableIdentity>
     */
    public function of(array $tables, string $recording, string $parameter): array
    {
        $wanted = json_encode(array_map(static fn (TableName $t): array => ['said' => (string) $t, 'oid' => Sql::table($t)], $tables), JSON_THROW_ON_ERROR);
        // A partition that was made as such had its columns before it became one, within one command; one that was attached,
        // be it in the transaction that made it, may have come with rows, and its columns were changed as it was.
        $rows = $this->connection->again(<<<SQL
            SELECT w.said, c.oid, CASE c.relkind WHEN 'p' THEN '' ELSE pg_relation_filenode(c.oid)::text END AS storage,
                   (SELECT json_object_agg(attname, json_build_array(attnum::text, xmin::text)) FROM pg_attribute a WHERE a.attrelid = c.oid AND attnum > 0 AND NOT attisdropped) AS columns,
                   CASE c.relkind WHEN 'p' THEN (
                       SELECT json_object_agg(m.relid::oid, json_build_array(coalesce(pg_relation_filenode(m.relid)::text, ''),
                           EXISTS (SELECT 1 FROM pg_attribute a WHERE a.attrelid = m.relid AND a.attnum > 0 AND (a.xmin <> i.xmin OR a.cmin::text::bigint >= i.cmin::text::bigint))))
                       FROM pg_partition_tree(c.oid) m JOIN pg_inherits i ON i.inhrelid = m.relid WHERE m.level > 0) END AS parts,
                   ({$recording}) AS recording
            FROM json_to_recordset(\$1::json) w(said text, oid text) JOIN pg_class c ON c.oid = to_regclass(w.oid)
            SQL, [$wanted, $parameter]);
        $identities = [];
        foreach ($rows as $row) {
            $list = static fn (?string $json): array => $json === null ? [] : (array) json_decode($json, true, 8, JSON_THROW_ON_ERROR);
            $identities[(string) $row['said']] = new TableIdentity((string) $row['oid'], (string) $row['storage'], $list($row['columns']), $list($row['parts']), $list($row['recording']));
        }

        return $identities;
    }

    /**
     * The feeds for whose key there is no unique index that is checked at every statement.
     *
     * @param  array<int, FeedDefinition>  $definitions
     * @return list<int>
     */
    public function sharing(array $definitions): array
    {
        $wanted = json_encode(array_map(static fn (int $n, FeedDefinition $d): array => ['n' => $n, 'oid' => Sql::table($d->origin->table), 'key' => $d->origin->key], array_keys($definitions), array_values($definitions)), JSON_THROW_ON_ERROR);

        return array_map(static fn (array $r): int => (int) $r['n'], $this->connection->rows(<<<'SQL'
            SELECT w.n FROM json_to_recordset($1::json) w(n int, oid text, key json)
            WHERE NOT EXISTS (
                SELECT 1 FROM pg_index i WHERE i.indrelid = to_regclass(w.oid) AND i.indisunique AND i.indimmediate AND i.indisvalid AND i.indpred IS NULL AND i.indexprs IS NULL
                AND (SELECT array_agg(a.attname::text) FROM unnest((i.indkey::int2[])[0:i.indnkeyatts - 1]) k JOIN pg_attribute a ON a.attrelid = i.indrelid AND a.attnum = k)
                    <@ (SELECT array_agg(k) FROM json_array_elements_text(w.key) k))
            SQL, [$wanted]));
    }
}
