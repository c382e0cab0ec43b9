<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Catalogue;
use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Connectors\Postgres\Server\TypeMap;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Port\Preparation;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** Compares the table a feed will write with the one that is there. */
final readonly class Preparing
{
    public function __construct(private Connection $connection)
    {
    }

    public function preparation(LandedTable $landed): Preparation
    {
        $schema = $this->connection->row("SELECT has_schema_privilege(n.oid, 'CREATE') AS creates FROM pg_namespace n WHERE n.nspname = $1", [$landed->name->schema]);
        $actual = (new Catalogue($this->connection))->find($landed->name);
        if ($actual !== null) {
            return new Preparation(true, [], $this->compare($landed, $actual));
        }
        $statements = $schema === null ? ['CREATE SCHEMA '.Quoted::name($landed->name->schema)] : [];
        $statements[] = self::createTable($landed, Sql::table($landed->name));
        if ($landed->as->landing->keepsVersions()) {
            $statements[] = 'CREATE UNIQUE INDEX ON '.Sql::table($landed->name).' ('.Quoted::names($landed->key).') WHERE is_current';
        }

        return new Preparation(false, $statements, [$this->mayCreate($landed, $schema)]);
    }

    /**
     * What has to be done to a landed table that is there, so that it takes what a changed feed lands.
     *
     * @param  array<string, string>  $renamed  landed columns by the name they had
     */
    public function change(LandedTable $landed, array $renamed): Preparation
    {
        $actual = (new Catalogue($this->connection))->find($landed->name);
        if ($actual === null) {
            return $this->preparation($landed);
        }
        $statements = [];
        $table = Sql::table($landed->name);
        foreach ($renamed as $old => $new) {
            if ($actual->column($old) !== null && $actual->column($new) === null) {
                $statements[] = "ALTER TABLE {$table} RENAME COLUMN ".Quoted::name($old).' TO '.Quoted::name($new).';';
            } else {
                unset($renamed[$old]);
            }
        }
        $now = new Shape(array_map(static fn (Column $c): Column => new Column($renamed[$c->name] ?? $c->name, $c->type, $c->nullable, $c->comment, $c->generated), $actual->columns), $actual->key);
        $findings = $this->compare($landed, $now, array_flip($renamed));
        foreach ($findings as $i => $finding) {
            if ($finding->result === 'failed' && str_starts_with((string) $finding->remedy, 'ALTER TABLE') && $this->isGentle($landed, $now, $finding->subject)) {
                $statements[] = explode('; or ', (string) $finding->remedy)[0].(str_contains((string) $finding->remedy, '; or ') ? ';' : '');
                unset($findings[$i]);
            }
        }

        return new Preparation(true, $statements, array_values($findings));
    }

    /** Whether rows that are there keep their values: a column is added, may be null, or gets a type that holds what it had. */
    private function isGentle(LandedTable $landed, Shape $now, string $column): bool
    {
        $there = $now->column($column);
        $wanted = $landed->shape->column($column);

        return $there === null || $wanted === null || $wanted->type->holds($there->type) || $wanted->type->kind === TypeKind::Text;
    }

    /** The statement that creates the landed table under a given name. */
    public static function createTable(LandedTable $landed, string $name): string
    {
        $lines = [];
        // Where an entry may tell less than a whole row, only what tells landed rows apart must be there.
        $whole = ! $landed->bringsChanges() || $landed->as->landing->merges();
        foreach ($landed->shape->columns as $column) {
            $required = ($whole && (! $column->nullable || in_array($column->name, $landed->key, true))) || in_array($column->name, $landed->rowKey(), true);
            $lines[] = '  '.Quoted::name($column->name).' '.TypeMap::write($column->type).($required ? ' NOT NULL' : '');
        }
        foreach ($landed->technical() as $column) {
            // Places in the log order as plain bytes do, whatever the database's collation.
            $lines[] = '  '.Quoted::name($column->name).' '.TypeMap::write($column->type).($column->type->kind === TypeKind::Text ? ' COLLATE "C"' : '');
        }
        if ($landed->rowKey() !== []) {
            $lines[] = '  PRIMARY KEY ('.Quoted::names($landed->rowKey()).')';
        }

        return "CREATE TABLE {$name} (\n".implode(",\n", $lines)."\n)";
    }

    /** @param  array<string, string|null>|null  $schema */
    private function mayCreate(LandedTable $landed, ?array $schema): Finding
    {
        $user = Quoted::name($this->connection->settings->user);
        if ($schema !== null) {
            return $schema['creates'] === 't'
                ? Finding::passed('Privilege', "Tables may be created in schema {$landed->name->schema}.")
                : Finding::failed('Privilege', "{$this->connection->settings->user} may not create tables in schema {$landed->name->schema}.", 'GRANT CREATE, USAGE ON SCHEMA '.Quoted::name($landed->name->schema)." TO {$user};");
        }
        $database = $this->connection->settings->database;

        return $this->connection->value("SELECT has_database_privilege(current_database(), 'CREATE')") === 't'
            ? Finding::passed('Privilege', "Schema {$landed->name->schema} may be created.")
            : Finding::failed('Privilege', "There is no schema {$landed->name->schema}, and {$this->connection->settings->user} may not create one in {$database}.", 'GRANT CREATE ON DATABASE '.Quoted::name($database)." TO {$user};");
    }

    /**
     * @param  array<string, string>  $before  names in the catalogue of columns that are about to be renamed
     * @return list<Finding>
     */
    private function compare(LandedTable $landed, Shape $actual, array $before = []): array
    {
        $table = (string) $landed->name;
        $wanted = array_map(static fn (Column $c): Type => $c->type, array_column([...$landed->shape->columns, ...array_values($landed->technical())], null, 'name'));
        $findings = $this->privileges($landed);
        foreach ($wanted as $name => $type) {
            $findings[] = $this->column($landed, $actual->column((string) $name), (string) $name, $type);
        }
        foreach ($actual->columns as $column) {
            if (! isset($wanted[$column->name]) && ! $column->nullable && ! $this->hasDefault($landed, $before[$column->name] ?? $column->name)) {
                $findings[] = Finding::failed($column->name, "Column {$column->name} of {$table} must have a value, but the feed brings none.", 'ALTER TABLE '.Sql::table($landed->name).' ALTER COLUMN '.Quoted::name($column->name).' DROP NOT NULL;');
            }
        }
        $key = $landed->as->landing->swaps() ? [] : $landed->rowKey();
        if ($key !== [] && ! $this->hasUniqueIndex($landed->name, array_map(static fn (string $k): string => $before[$k] ?? $k, $key))) {
            $findings[] = Finding::failed('Key', "{$table} has no unique index on (".implode(', ', $key).'), so rows cannot be matched by key.', 'CREATE UNIQUE INDEX ON '.Sql::table($landed->name).' ('.Quoted::names($key).');');
        }

        return [...$findings, ...$this->strangers($landed)];
    }

    private function column(LandedTable $landed, ?Column $there, string $name, Type $type): Finding
    {
        $table = Sql::table($landed->name);
        if ($there === null) {
            return Finding::failed($name, "{$landed->name} has no column {$name}.", "ALTER TABLE {$table} ADD COLUMN ".Quoted::name($name).' '.TypeMap::write($type).';');
        }
        if ($there->generated) {
            return Finding::failed($name, "Column {$name} of {$landed->name} is generated by the target and cannot be written.", "ALTER TABLE {$table} ALTER COLUMN ".Quoted::name($name).' DROP EXPRESSION;');
        }
        // An enumerated type lands as text, so text on the other side is what is asked for.
        $asked = $type->kind === TypeKind::Enumeration ? Type::of(TypeKind::Text) : $type;

        return $there->type->holds($asked) || $there->type->holds($type)
            ? Finding::passed($name, "{$name} is {$there->type}.")
            : Finding::failed($name, "Column {$name} of {$landed->name} is {$there->type}, which does not hold every {$type}.", "ALTER TABLE {$table} ALTER COLUMN ".Quoted::name($name).' TYPE '.TypeMap::write($asked).self::using($name, $there->type, $asked).'; or land in another table.');
    }

    /** What the server does not turn into another type by itself goes by way of text. */
    private static function using(string $name, Type $from, Type $to): string
    {
        return $to->kind->isText() || ($from->kind->isNumeric() && $to->kind->isNumeric()) || ($from->kind->isMoment() && $to->kind->isMoment()) ? '' : ' USING '.Quoted::name($name).'::text::'.TypeMap::write($to);
    }

    /** @return list<Finding> */
    private function privileges(LandedTable $landed): array
    {
        $wanted = $landed->as->landing->adds() ? ['SELECT', 'INSERT'] : ['SELECT', 'INSERT', 'UPDATE', 'DELETE'];
        $missing = array_values(array_filter($wanted, fn (string $p): bool => $this->connection->value('SELECT has_table_privilege($1::regclass, $2)', [Sql::table($landed->name), $p]) !== 't'));

        return $missing === [] ? [] : [Finding::failed('Privilege', "{$this->connection->settings->user} lacks ".implode(', ', $missing)." on {$landed->name}.", 'GRANT '.implode(', ', $missing).' ON '.Sql::table($landed->name).' TO '.Quoted::name($this->connection->settings->user).';')];
    }

    private function hasDefault(LandedTable $landed, string $column): bool
    {
        return $this->connection->value('SELECT atthasdef OR attidentity <> \'\' FROM pg_attribute WHERE attrelid = $1::regclass AND attname = $2', [Sql::table($landed->name), $column]) === 't';
    }

    /** @param  list<string>  $key */
    private function hasUniqueIndex(TableName $table, array $key): bool
    {
        return $this->connection->value(<<<'SQL'
            SELECT EXISTS (
                SELECT 1 FROM pg_index i WHERE i.indrelid = $1::regclass AND i.indisunique AND i.indisvalid AND i.indpred IS NULL
                AND (SELECT array_agg(a.attname::text ORDER BY a.attname) FROM pg_attribute a WHERE a.attrelid = i.indrelid AND a.attnum = ANY (i.indkey::int2[]))
                    = (SELECT array_agg(k ORDER BY k) FROM json_array_elements_text($2::json) k))
            SQL, [Sql::table($table), json_encode($key, JSON_THROW_ON_ERROR)]) === 't';
    }

    /** @return list<Finding> whether rows are there that Lighterman did not land */
    private function strangers(LandedTable $landed): array
    {
        if ($landed->as->takeOver || (new Ledger($this->connection))->knows($landed->name)
            || $this->connection->value('SELECT EXISTS (SELECT 1 FROM '.Sql::table($landed->name).')') === 'f') {
            return [];
        }

        return [Finding::failed('Rows', "{$landed->name} holds rows that Lighterman did not land.", 'Choose another landed table, or allow the feed to take it over.')];
    }
}
