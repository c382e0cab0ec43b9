<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Asking;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\QueryTrouble;
use Lighterman\Core\Trouble\SystemTrouble;

/**
 * What a person's statement would read and call, as the server itself understands it.
 *
 * The statement is parsed as a view that is never read and that is gone at once; the server writes the tree of a view down
 * with the number of every table, function and operator in it, whatever the names in the text were.
 */
final readonly class AskedStatement
{
    /** Where names without a schema are looked for, when it is parsed and when it is run. */
    public const PATH = 'public';

    /** Functions whose results vary, and that do nothing else. */
    private const VARYING = ['random', 'random_normal', 'clock_timestamp', 'timeofday', 'gen_random_uuid', 'uuidv4', 'uuidv7', 'bernoulli', 'system'];

    private const SECONDS = 10;

    /** Fields of nodes that hold the number of a function. https://www.postgresql.org/docs/15/catalog-pg-rewrite.html */
    private const FUNCTIONS = '/:(?:funcid|opfuncid|aggfnoid|winfnoid|hashfuncid|negfuncid|tsmhandler|inputfn|outfunc) (\d+)/';

    private const OPERATORS = '/:(?:opno|eqop|sortop) (\d+)/';

    private const OPERATOR_LISTS = '/:opnos \(o ([\d ]+)\)/';

    /** @param  Connection  $house  of the account that lands, which may make a view for a moment */
    public function __construct(private Connection $house, private string $sql)
    {
    }

    /** One statement as it is typed, without what ends it. */
    public static function text(string $sql): string
    {
        return rtrim(trim($sql), "; \n\r\t");
    }

    /**
     * @param  list<TableName>  $tables  that may be read
     *
     * @throws SystemTrouble if it cannot be parsed, reads anything else, or calls what may have an effect
     */
    public function demandHarmless(array $tables): void
    {
        [$relations, $functions, $operators] = $this->parts();
        $strange = $this->house->rows("SELECT r.oid::regclass::text AS name FROM unnest($1::oid[]) r(oid) WHERE r.oid NOT IN (SELECT c.oid FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.relkind IN ('r', 'p') AND (n.nspname, c.relname) IN (SELECT * FROM unnest($2::text[], $3::text[]))) LIMIT 1",
            [self::list($relations), self::list(array_map(static fn (TableName $t): string => $t->schema, $tables)), self::list(array_map(static fn (TableName $t): string => $t->name, $tables))]);
        if ($strange !== []) {
            throw QueryTrouble::refused("{$strange[0]['name']} is no landed table, and no other is asked here.", 'Ask the landed tables, which stand beside the statement.');
        }
        foreach ($this->house->rows("SELECT p.oid::regprocedure::text AS name, p.proname, p.provolatile, n.nspname = 'pg_catalog' OR (l.lanname = 'internal' AND p.prokind = 'f') AS own, EXISTS (SELECT 1 FROM pg_depend d WHERE d.classid = 'pg_proc'::regclass AND d.objid = p.oid AND d.deptype = 'e') AS extends
            FROM pg_proc p JOIN pg_namespace n ON n.oid = p.pronamespace JOIN pg_language l ON l.oid = p.prolang WHERE p.oid = ANY($1::oid[]) OR p.oid IN (SELECT o.oprcode FROM pg_operator o WHERE o.oid = ANY($2::oid[])) ORDER BY 1", [self::list($functions), self::list($operators)]) as $function) {
            // What an extension computes of its arguments alone is let be; some of what only reads runs any text it is given.
            $harmless = $function['own'] === 't' ? $function['provolatile'] !== 'v' || in_array($function['proname'], self::VARYING, true) : $function['extends'] === 't' && $function['provolatile'] === 'i';
            if (! $harmless) {
                throw QueryTrouble::refused($function['own'] === 't' ? "{$function['name']} may have an effect, or wait, so it is not called here." : "What {$function['name']} does is not known, so it is not called here.", 'Leave it out; queries only read.');
            }
        }
    }

    /** @return array{list<string>, list<string>, list<string>} numbers of the tables, functions and operators in it */
    private function parts(): array
    {
        try {
            $this->house->begin();
            $this->house->run('SET LOCAL statement_timeout = '.(self::SECONDS * 1000));
            $this->house->run('SET LOCAL search_path = '.self::PATH);
            $this->house->run("CREATE TEMPORARY VIEW lighterman_asked AS SELECT 1 AS one FROM (\n{$this->sql}\n) AS asked", [], single: true);
            $row = $this->house->row("SELECT ev_action::text AS tree, ev_class::oid AS own FROM pg_rewrite WHERE ev_class = 'pg_temp.lighterman_asked'::regclass") ?? [];
        } finally {
            $this->house->rollback();
        }
        $tree = (string) $row['tree'];
        $all = static fn (string $pattern): array => preg_match_all($pattern, $tree, $m) > 0 ? array_values(array_unique($m[1])) : [];
        $listed = array_merge(...array_map(static fn (string $l): array => explode(' ', trim($l)), $all(self::OPERATOR_LISTS)));

        return [array_values(array_diff($all('/:relid (\d+)/'), [(string) $row['own'], '0'])), $all(self::FUNCTIONS), [...$all(self::OPERATORS), ...$listed]];
    }

    /** @param  list<string>  $values */
    private static function list(array $values): string
    {
        return '{'.implode(',', array_map(static fn (string $v): string => '"'.addcslashes($v, '"\\').'"', $values)).'}';
    }

    /**
     * Lets the asking role read these tables, and none that were landed before and are no more.
     *
     * @param  list<TableName>  $tables
     */
    public static function allow(Connection $house, string $user, array $tables): void
    {
        $role = Quoted::name($user);
        $names = [self::list(array_map(static fn (TableName $t): string => $t->schema, $tables)), self::list(array_map(static fn (TableName $t): string => $t->name, $tables))];
        $of = "FROM pg_class c JOIN pg_namespace n ON n.oid = c.relnamespace WHERE c.relkind IN ('r', 'p') AND pg_has_role(c.relowner, 'USAGE')";
        $wanted = '(n.nspname, c.relname) IN (SELECT * FROM unnest($2::text[], $3::text[]))';
        $statements = [
            ...array_map(static fn (array $s): string => "GRANT USAGE ON SCHEMA {$s['name']} TO {$role}", $house->rows("SELECT DISTINCT quote_ident(n.nspname) AS name {$of} AND {$wanted} AND NOT has_schema_privilege($1, n.oid, 'USAGE')", [$user, ...$names])),
            ...array_map(static fn (array $t): string => "GRANT SELECT ON {$t['name']} TO {$role}", $house->rows("SELECT c.oid::regclass::text AS name {$of} AND {$wanted} AND NOT has_table_privilege($1, c.oid, 'SELECT')", [$user, ...$names])),
            ...array_map(static fn (array $t): string => "REVOKE ALL ON {$t['name']} FROM {$role}", $house->rows("SELECT c.oid::regclass::text AS name {$of} AND NOT {$wanted} AND EXISTS (SELECT 1 FROM aclexplode(c.relacl) a WHERE a.grantee = (SELECT oid FROM pg_roles WHERE rolname = $1))", [$user, ...$names])),
        ];
        $statements === [] || $house->run(implode('; ', $statements));
    }
}
