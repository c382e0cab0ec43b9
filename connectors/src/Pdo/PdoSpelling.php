<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Pdo;

use Lighterman\Connectors\Reading\Spelling;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;

/** What databases reached through PDO spell alike. */
abstract class PdoSpelling implements Spelling
{
    /** A literal of text. */
    public function text(string $value): string
    {
        return "'".str_replace("'", "''", $value)."'";
    }

    /**
     * @param  string  $value  an expression that gives a value of the column
     */
    abstract public function render(Column $column, string $value): string;

    public function isValue(?Type $type, string $column): string
    {
        return "{$column} IS NOT NULL";
    }

    public function rendered(Column $column): string
    {
        return $this->render($column, $this->name($column->name));
    }

    public function table(TableName $table): string
    {
        return $this->name($table->schema).'.'.$this->name($table->name);
    }

    public function ordered(array $columns, array $values, string $operator): string
    {
        $strict = $operator === '<=' ? '<' : '>';
        $ors = [];
        foreach ($columns as $i => $column) {
            $same = array_map(static fn (string $c, string $v): string => "{$c} = {$v}", array_slice($columns, 0, $i), array_slice($values, 0, $i));
            $ors[] = implode(' AND ', [...$same, $column.($i === count($columns) - 1 ? " {$operator} " : " {$strict} ").$values[$i]]);
        }
        if (count($ors) === 1) {
            return $ors[0];
        }

        // Comparing rows as such uses no index here; the first condition is implied by the second and does.
        return "{$columns[0]} {$strict}= {$values[0]} AND (".implode(' OR ', array_map(static fn (string $o): string => "({$o})", $ors)).')';
    }
}
