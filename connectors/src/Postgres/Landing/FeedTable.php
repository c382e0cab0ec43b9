<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Landing;

use Lighterman\Connectors\Postgres\Server\Connection;
use Lighterman\Connectors\Postgres\Server\Quoted;
use Lighterman\Connectors\Postgres\Server\Sql;
use Lighterman\Connectors\Postgres\Server\TypeMap;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** A landed table and the stage beside it, with the names that statements about them need. */
final class FeedTable
{
    /** Columns of the stage that say what to do with a line. */
    private const HEAD = ['lm_op' => 'text', 'lm_unsent' => 'text', 'lm_from' => 'text[]'];

    public readonly string $table;

    public readonly string $stage;

    /** @var list<string> */
    public readonly array $carried;

    private bool $staged = false;

    public function __construct(private readonly Connection $connection, public readonly LandedTable $landed, string $feed)
    {
        $this->table = Sql::table($landed->name);
        $this->stage = 'lm_'.hash('xxh64', $feed);
        $this->carried = $landed->shape->names();
    }

    public function technical(string $what): ?string
    {
        return ($this->landed->technical()[$what] ?? null)?->name;
    }

    /** @return list<string> names of the technical columns that are there, of those asked for */
    public function having(string ...$what): array
    {
        return array_values(array_filter(array_map($this->technical(...), $what), static fn (?string $n): bool => $n !== null));
    }

    /**
     * Puts lines into the stage, which is empty before and after every use.
     *
     * @param  list<string>  $columns  further columns the lines have, after the three of the head
     */
    public function stage(array $columns, string $lines): void
    {
        if (! $this->staged) {
            $head = implode(', ', array_map(static fn (string $n, string $t): string => "NULL::{$t} AS {$n}", array_keys(self::HEAD), self::HEAD));
            $landed = Quoted::names([...$this->carried, ...array_values(array_map(static fn (Column $c): string => $c->name, $this->landed->technical()))]);
            $this->connection->run("DROP TABLE IF EXISTS pg_temp.{$this->stage}");
            $this->connection->run("CREATE TEMP TABLE {$this->stage} ON COMMIT DELETE ROWS AS SELECT {$head}, {$landed} FROM {$this->table} WITH NO DATA");
            $this->staged = true;
        }
        $this->connection->copy("pg_temp.{$this->stage}", implode(', ', array_keys(self::HEAD)).', '.Quoted::names($columns), $lines);
    }

    public function isStaged(): bool
    {
        return $this->staged;
    }

    /** After a rollback the stage is gone if the transaction had made it. */
    public function forgetStage(): void
    {
        $this->staged = false;
    }

    public function sameKey(string $left, string $right): string
    {
        return implode(' AND ', array_map(static fn (string $k): string => "{$left}.".Quoted::name($k)." = {$right}.".Quoted::name($k), $this->landed->key));
    }

    /** The condition that a row's key is the one an array of text holds. */
    public function keyIs(string $row, string $array): string
    {
        $parts = [];
        foreach ($this->landed->key as $i => $k) {
            $type = $this->landed->shape->column($k)?->type;
            $cast = $type === null || $type->kind === TypeKind::Enumeration ? '' : '::'.TypeMap::write($type);
            $parts[] = "{$row}.".Quoted::name($k)." = ({$array}[".($i + 1)."]){$cast}";
        }

        return implode(' AND ', $parts);
    }

    /** Column expressions that take what a line does not say from the landed row. */
    public function filled(string $line, string $landed): string
    {
        $parts = [];
        foreach ($this->carried as $i => $name) {
            $column = Quoted::name($name);
            $parts[] = $this->mayBeUnsent($this->landed->shape->column($name)?->type)
                ? "CASE WHEN substr({$line}.lm_unsent, ".($i + 1).", 1) = '1' THEN {$landed}.{$column} ELSE {$line}.{$column} END"
                : "{$line}.{$column}";
        }

        return implode(', ', $parts);
    }

    /** @param  list<string|false|null>  $row */
    public static function unsent(array $row): string
    {
        return implode('', array_map(static fn (string|false|null $v): string => $v === false ? '1' : '0', $row));
    }

    /**
     * An array of text as PostgreSQL reads it.
     *
     * @param  list<string>  $values
     */
    public static function arrayText(array $values): string
    {
        return '{'.implode(',', array_map(static fn (string $v): string => '"'.addcslashes($v, '"\\').'"', $values)).'}';
    }

    private function mayBeUnsent(?Type $type): bool
    {
        // Only values of varying length are ever stored apart, and so left out when they did not change.
        return $type === null || ! in_array($type->kind, [TypeKind::Boolean, TypeKind::Int16, TypeKind::Int32, TypeKind::Int64, TypeKind::Float32, TypeKind::Float64, TypeKind::Date, TypeKind::Time, TypeKind::TimeTz, TypeKind::Timestamp, TypeKind::TimestampTz, TypeKind::Interval, TypeKind::Uuid], true);
    }
}
