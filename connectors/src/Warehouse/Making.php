<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Shape\TypeKind;

/** Makes landed tables. */
final readonly class Making
{
    public function __construct(private Warehouse $at)
    {
    }

    /**
     * All that has to be run before the first row, where there is no such table.
     *
     * @return list<string>
     */
    public function statements(LandedTable $landed): array
    {
        $statements = $this->at->tables->hasSchema($landed->name->schema) ? [] : [$this->at->definitions->createSchema($landed->name->schema)];
        $statements[] = $this->table($landed, $this->at->sql->table($landed->name));
        if ($landed->as->landing->keepsVersions()) {
            $statements[] = $this->at->definitions->uniqueIndex($landed->name, $landed->key, $landed->technical()['is_current']->name);
        }

        return $statements;
    }

    /** @param  string  $name  under which it is made, as written in SQL */
    public function table(LandedTable $landed, string $name): string
    {
        $lines = [];
        // Where an entry may tell less than a whole row, only what tells landed rows apart must be there.
        $whole = ! $landed->bringsChanges() || $landed->as->landing->merges();
        foreach ($landed->shape->columns as $column) {
            $required = ($whole && (! $column->nullable || in_array($column->name, $landed->key, true))) || in_array($column->name, $landed->rowKey(), true);
            $lines[] = '  '.$this->at->sql->name($column->name).' '.$this->at->sql->type($column->type).($required ? ' NOT NULL' : '');
        }
        foreach ($landed->technical() as $column) {
            // Places in the log order as plain bytes do, whatever the database's collation.
            $lines[] = '  '.$this->at->sql->name($column->name).' '.($column->type->kind === TypeKind::Text ? $this->at->sql->bytewise() : $this->at->sql->type($column->type));
        }
        if ($landed->rowKey() !== []) {
            $lines[] = '  PRIMARY KEY ('.$this->at->names($landed->rowKey()).')';
        }

        return "CREATE TABLE {$name} (\n".implode(",\n", $lines)."\n)";
    }
}
