<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Catalogue;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Connectors\Warehouse\Tables;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;

/** What stands in a PostgreSQL database that rows are landed in. */
final readonly class PostgresTables implements Tables
{
    public function __construct(private Connection $connection)
    {
    }

    public function shape(TableName $table): ?Shape
    {
        return (new Catalogue($this->connection))->find($table);
    }

    public function isEmpty(TableName $table): bool
    {
        return $this->connection->value('SELECT EXISTS (SELECT 1 FROM '.Sql::table($table).')') === 'f';
    }

    public function count(TableName $table): int
    {
        return (int) $this->connection->value('SELECT count(*) FROM '.Sql::table($table));
    }

    public function hasSchema(string $schema): bool
    {
        return $this->connection->value('SELECT to_regnamespace($1)', [Quoted::name($schema)]) !== null;
    }

    public function mayCreate(TableName $table): Finding
    {
        [$login, $database] = [$this->connection->settings->user, $this->connection->settings->database];
        $user = Quoted::name($login);
        if ($this->hasSchema($table->schema)) {
            return $this->connection->value("SELECT has_schema_privilege(\$1, 'CREATE')", [$table->schema]) === 't'
                ? Finding::passed('Privilege', "Tables may be created in schema {$table->schema}.")
                : Finding::failed('Privilege', "{$login} may not create tables in schema {$table->schema}.", 'GRANT CREATE, USAGE ON SCHEMA '.Quoted::name($table->schema)." TO {$user};");
        }

        return $this->connection->value("SELECT has_database_privilege(current_database(), 'CREATE')") === 't'
            ? Finding::passed('Privilege', "Schema {$table->schema} may be created.")
            : Finding::failed('Privilege', "There is no schema {$table->schema}, and {$login} may not create one in {$database}.", 'GRANT CREATE ON DATABASE '.Quoted::name($database)." TO {$user};");
    }

    public function lacking(TableName $table, array $privileges): array
    {
        return array_values(array_filter($privileges, fn (string $p): bool => $this->connection->value('SELECT has_table_privilege($1::regclass, $2)', [Sql::table($table), $p]) !== 't'));
    }

    public function hasDefault(TableName $table, string $column): bool
    {
        return $this->connection->value('SELECT atthasdef OR attidentity <> \'\' FROM pg_attribute WHERE attrelid = $1::regclass AND attname = $2', [Sql::table($table), $column]) === 't';
    }

    public function hasUniqueIndex(TableName $table, array $key): bool
    {
        return $this->connection->value(<<<'SQL'
            SELECT EXISTS (
                SELECT 1 FROM pg_index i WHERE i.indrelid = $1::regclass AND i.indisunique AND i.indisvalid AND i.indpred IS NULL
                AND (SELECT array_agg(a.attname::text ORDER BY a.attname) FROM pg_attribute a WHERE a.attrelid = i.indrelid AND a.attnum = ANY (i.indkey::int2[]))
                    = (SELECT array_agg(k ORDER BY k) FROM json_array_elements_text($2::json) k))
            SQL, [Sql::table($table), json_encode($key, JSON_THROW_ON_ERROR)]) === 't';
    }

    public function exchange(TableName $table, TableName $beside): int
    {
        [$old, $new] = [Sql::table($table), Sql::table($beside)];
        $before = $this->count($table);
        if ($this->isDependedOn($table)) {
            // Views and foreign keys hold on to the table itself, so its rows are exchanged and not the table. DELETE lets
            // readers go on seeing the old rows until the commit; TRUNCATE would not.
            $this->connection->run("DELETE FROM {$old}");
            $this->connection->run("INSERT INTO {$old} SELECT * FROM {$new}");
            $this->connection->run("DROP TABLE {$new}");

            return $before;
        }
        $grants = $this->grants($table);
        $this->connection->run("DROP TABLE {$old}");
        $this->connection->run("ALTER TABLE {$new} RENAME TO ".Quoted::name($table->name));
        foreach ($grants as $grant) {
            $this->connection->run($grant);
        }

        return $before;
    }

    private function isDependedOn(TableName $table): bool
    {
        return $this->connection->value(<<<'SQL'
            SELECT EXISTS (SELECT 1 FROM pg_depend d WHERE d.refclassid = 'pg_class'::regclass AND d.refobjid = $1::regclass AND d.classid = 'pg_rewrite'::regclass)
                OR EXISTS (SELECT 1 FROM pg_constraint c WHERE c.confrelid = $1::regclass AND c.contype = 'f')
                OR EXISTS (SELECT 1 FROM pg_trigger t WHERE t.tgrelid = $1::regclass AND NOT t.tgisinternal)
                OR EXISTS (SELECT 1 FROM pg_index i WHERE i.indrelid = $1::regclass AND NOT i.indisprimary)
            SQL, [Sql::table($table)]) === 't';
    }

    /** @return list<string> statements that give the new table the privileges of the old one */
    private function grants(TableName $table): array
    {
        return array_map(static fn (array $r): string => (string) $r['statement'], $this->connection->rows(<<<'SQL'
            SELECT format('GRANT %s ON %I.%I TO %s%s', a.privilege_type, n.nspname, c.relname,
                          CASE WHEN a.grantee = 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(a.grantee)) END,
                          CASE WHEN a.is_grantable THEN ' WITH GRANT OPTION' ELSE '' END) AS statement
            FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace CROSS JOIN LATERAL aclexplode(c.relacl) a
            WHERE n.nspname = $1 AND c.relname = $2 AND a.grantee <> c.relowner
            SQL, [$table->schema, $table->name]));
    }
}
