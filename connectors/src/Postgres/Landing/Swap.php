<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Record\Counts;

/** Puts a table built beside the landed one in its place, so that readers see either the old rows or the new ones. */
final readonly class Swap
{
    public function __construct(private Connection $connection, private LandedTable $landed)
    {
    }

    public function swap(string $table, string $besideName, int $rows): Counts
    {
        $schema = Quoted::name($this->landed->name->schema);
        $beside = $schema.'.'.Quoted::name($besideName);
        $before = (int) $this->connection->value("SELECT count(*) FROM {$table}");
        if ($this->dependedOn($table)) {
            // Views and foreign keys hold on to the table itself, so its rows are exchanged and not the table. DELETE lets
            // readers go on seeing the old rows until the commit; TRUNCATE would not.
            $this->connection->run("DELETE FROM {$table}");
            $this->connection->run("INSERT INTO {$table} SELECT * FROM {$beside}");
            $this->connection->run("DROP TABLE {$beside}");

            return new Counts(inserted: $rows, deleted: $before);
        }
        $grants = $this->grants();
        $this->connection->run("DROP TABLE {$table}");
        $this->connection->run("ALTER TABLE {$beside} RENAME TO ".Quoted::name($this->landed->name->name));
        foreach ($grants as $grant) {
            $this->connection->run($grant);
        }

        return new Counts(inserted: $rows, deleted: $before);
    }

    private function dependedOn(string $table): bool
    {
        return $this->connection->value(<<<'SQL'
            SELECT EXISTS (SELECT 1 FROM pg_depend d WHERE d.refclassid = 'pg_class'::regclass AND d.refobjid = $1::regclass AND d.classid = 'pg_rewrite'::regclass)
                OR EXISTS (SELECT 1 FROM pg_constraint c WHERE c.confrelid = $1::regclass AND c.contype = 'f')
                OR EXISTS (SELECT 1 FROM pg_trigger t WHERE t.tgrelid = $1::regclass AND NOT t.tgisinternal)
                OR EXISTS (SELECT 1 FROM pg_index i WHERE i.indrelid = $1::regclass AND NOT i.indisprimary)
            SQL, [$table]) === 't';
    }

    /** @return list<string> statements that give the new table the privileges of the old one */
    private function grants(): array
    {
        return array_map(static fn (array $r): string => (string) $r['statement'], $this->connection->rows(<<<'SQL'
            SELECT format('GRANT %s ON %I.%I TO %s%s', a.privilege_type, n.nspname, c.relname,
                          CASE WHEN a.grantee = 0 THEN 'PUBLIC' ELSE quote_ident(pg_get_userbyid(a.grantee)) END,
                          CASE WHEN a.is_grantable THEN ' WITH GRANT OPTION' ELSE '' END) AS statement
            FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace CROSS JOIN LATERAL aclexplode(c.relacl) a
            WHERE n.nspname = $1 AND c.relname = $2 AND a.grantee <> c.relowner
            SQL, [$this->landed->name->schema, $this->landed->name->name]));
    }
}
