<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres;

use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Port\Finding;
use Lighterman\Core\Port\Preparation;
use Lighterman\Core\Port\TableName;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** Compares the table a feed will write with the one that is there. */
final readonly class Preparing
{
    public function __construct(private Connection $connection)
    {
    }

    public function preparation(FeedDefinition $definition): Preparation
    {
        $schema = $this->connection->row("SELECT has_schema_privilege(n.oid, 'CREATE') AS creates FROM pg_namespace n WHERE n.nspname = $1", [$definition->landed->schema]);
        $actual = (new Catalogue($this->connection))->find($definition->landed);
        if ($actual !== null) {
            return new Preparation(true, [], $this->compare($definition, $actual));
        }
        $statements = $schema === null ? ['CREATE SCHEMA '.Connection::name($definition->landed->schema)] : [];
        $statements[] = self::createTable($definition, Sql::table($definition->landed));
        if ($definition->landing === Landing::Versions) {
            $statements[] = 'CREATE UNIQUE INDEX ON '.Sql::table($definition->landed).' ('.Connection::names($definition->key).') WHERE is_current';
        }

        return new Preparation(false, $statements, [$this->mayCreate($definition, $schema)]);
    }

    /** The statement that creates the landed table under a given name. */
    public static function createTable(FeedDefinition $definition, string $name): string
    {
        $lines = [];
        // Where an entry may tell less than a whole row, only what tells landed rows apart must be there.
        $whole = ! $definition->capture->bringsChanges() || $definition->landing === Landing::Upsert;
        foreach ($definition->carried()->columns as $column) {
            $required = ($whole && (! $column->nullable || in_array($column->name, $definition->key, true))) || in_array($column->name, $definition->landedKey(), true);
            $lines[] = '  '.Connection::name($column->name).' '.TypeMap::write($column->type).($required ? ' NOT NULL' : '');
        }
        foreach ($definition->technical() as $column) {
            // Places in the log order as plain bytes do, whatever the database's collation.
            $lines[] = '  '.Connection::name($column->name).' '.TypeMap::write($column->type).($column->type->kind === TypeKind::Text ? ' COLLATE "C"' : '');
        }
        if ($definition->landedKey() !== []) {
            $lines[] = '  PRIMARY KEY ('.Connection::names($definition->landedKey()).')';
        }

        return "CREATE TABLE {$name} (\n".implode(",\n", $lines)."\n)";
    }

    /** @param  array<string, string|null>|null  $schema */
    private function mayCreate(FeedDefinition $definition, ?array $schema): Finding
    {
        $user = Connection::name($this->connection->settings->user);
        if ($schema !== null) {
            return $schema['creates'] === 't'
                ? Finding::passed('Privilege', "Tables may be created in schema {$definition->landed->schema}.")
                : Finding::failed('Privilege', "{$this->connection->settings->user} may not create tables in schema {$definition->landed->schema}.", 'GRANT CREATE, USAGE ON SCHEMA '.Connection::name($definition->landed->schema)." TO {$user};");
        }
        $database = $this->connection->settings->database;

        return $this->connection->value("SELECT has_database_privilege(current_database(), 'CREATE')") === 't'
            ? Finding::passed('Privilege', "Schema {$definition->landed->schema} may be created.")
            : Finding::failed('Privilege', "There is no schema {$definition->landed->schema}, and {$this->connection->settings->user} may not create one in {$database}.", 'GRANT CREATE ON DATABASE '.Connection::name($database)." TO {$user};");
    }

    /** @return list<Finding> */
    private function compare(FeedDefinition $definition, Shape $actual): array
    {
        $table = (string) $definition->landed;
        $wanted = array_map(static fn (Column $c): Type => $c->type, array_column([...$definition->carried()->columns, ...array_values($definition->technical())], null, 'name'));
        $findings = $this->privileges($definition);
        foreach ($wanted as $name => $type) {
            $findings[] = $this->column($definition, $actual->column((string) $name), (string) $name, $type);
        }
        foreach ($actual->columns as $column) {
            if (! isset($wanted[$column->name]) && ! $column->nullable && ! $this->hasDefault($definition, $column->name)) {
                $findings[] = Finding::failed($column->name, "Column {$column->name} of {$table} must have a value, but the feed brings none.", 'ALTER TABLE '.Sql::table($definition->landed).' ALTER COLUMN '.Connection::name($column->name).' DROP NOT NULL;');
            }
        }
        $key = $definition->landing === Landing::Replace ? [] : $definition->landedKey();
        if ($key !== [] && ! $this->hasUniqueIndex($definition->landed, $key)) {
            $findings[] = Finding::failed('Key', "{$table} has no unique index on (".implode(', ', $key).'), so rows cannot be matched by key.', 'CREATE UNIQUE INDEX ON '.Sql::table($definition->landed).' ('.Connection::names($key).');');
        }

        return [...$findings, ...$this->strangers($definition)];
    }

    private function column(FeedDefinition $definition, ?Column $there, string $name, Type $type): Finding
    {
        $table = Sql::table($definition->landed);
        if ($there === null) {
            return Finding::failed($name, "{$definition->landed} has no column {$name}.", "ALTER TABLE {$table} ADD COLUMN ".Connection::name($name).' '.TypeMap::write($type).';');
        }
        if ($there->generated) {
            return Finding::failed($name, "Column {$name} of {$definition->landed} is generated by the target and cannot be written.", "ALTER TABLE {$table} ALTER COLUMN ".Connection::name($name).' DROP EXPRESSION;');
        }
        // An enumerated type lands as text, so text on the other side is what is asked for.
        $asked = $type->kind === TypeKind::Enumeration ? Type::of(TypeKind::Text) : $type;

        return $there->type->holds($asked) || $there->type->holds($type)
            ? Finding::passed($name, "{$name} is {$there->type}.")
            : Finding::failed($name, "Column {$name} of {$definition->landed} is {$there->type}, which does not hold every {$type}.", "ALTER TABLE {$table} ALTER COLUMN ".Connection::name($name).' TYPE '.TypeMap::write($asked).'; or land in another table.');
    }

    /** @return list<Finding> */
    private function privileges(FeedDefinition $definition): array
    {
        $wanted = $definition->landing === Landing::Append ? ['SELECT', 'INSERT'] : ['SELECT', 'INSERT', 'UPDATE', 'DELETE'];
        $missing = array_values(array_filter($wanted, fn (string $p): bool => $this->connection->value('SELECT has_table_privilege($1::regclass, $2)', [Sql::table($definition->landed), $p]) !== 't'));

        return $missing === [] ? [] : [Finding::failed('Privilege', "{$this->connection->settings->user} lacks ".implode(', ', $missing)." on {$definition->landed}.", 'GRANT '.implode(', ', $missing).' ON '.Sql::table($definition->landed).' TO '.Connection::name($this->connection->settings->user).';')];
    }

    private function hasDefault(FeedDefinition $definition, string $column): bool
    {
        return $this->connection->value('SELECT atthasdef OR attidentity <> \'\' FROM pg_attribute WHERE attrelid = $1::regclass AND attname = $2', [Sql::table($definition->landed), $column]) === 't';
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
    private function strangers(FeedDefinition $definition): array
    {
        if ($definition->takeOver || (new Ledger($this->connection))->knows($definition->landed)
            || $this->connection->value('SELECT EXISTS (SELECT 1 FROM '.Sql::table($definition->landed).')') === 'f') {
            return [];
        }

        return [Finding::failed('Rows', "{$definition->landed} holds rows that Lighterman did not land.", 'Choose another landed table, or allow the feed to take it over.')];
    }
}
