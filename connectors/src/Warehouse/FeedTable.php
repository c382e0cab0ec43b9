<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use LogicException;

/** A landed table and the stage beside it, with the names that statements about them need. */
final class FeedTable
{
    /** Columns of the stage that say what to do with a line; what is not sent, as 0 and 1 by column; the key that it is taken from. */
    public const HEAD = ['lm_op', 'lm_unsent', 'lm_from'];

    /** As written in SQL. */
    public readonly string $table;

    /** As written in SQL. */
    public readonly string $stage;

    /** @var list<string> */
    public readonly array $carried;

    /** @var array<string, Type> types of all columns, by name */
    private readonly array $types;

    private readonly string $stageName;

    private bool $staged = false;

    public function __construct(private readonly Warehouse $at, public readonly LandedTable $landed, string $line)
    {
        $this->table = $at->sql->table($landed->name);
        $this->stageName = 'lm_'.hash('xxh64', $line);
        $this->stage = $at->sql->staged($this->stageName);
        $this->carried = $landed->shape->names();
        $this->types = array_column($landed->columns(), 'type', 'name');
    }

    public function type(string $column): Type
    {
        return $this->types[$column] ?? throw new LogicException("{$this->landed->name} has no column {$column}.");
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
     * What takes lines into the stage, which is empty before and after every use.
     *
     * @param  list<string>  $columns  further columns the lines have, after the three of the head
     */
    public function staging(array $columns): Loading
    {
        if (! $this->staged) {
            $text = Type::of(TypeKind::Text);
            $head = array_map(fn (string $n, Type $t): string => $this->at->sql->cast('NULL', $t)." AS {$n}", self::HEAD, [$text, $text, Type::listOf($text)]);
            $this->at->session->run(...$this->at->sql->stage($this->stageName, 'SELECT '.implode(', ', $head).', '.$this->at->names(array_map(strval(...), array_keys($this->types)))." FROM {$this->table}"));
            $this->staged = true;
        }

        return new Loading($this->at, $this->stage, [...self::HEAD, ...$columns]);
    }

    public function emptyStage(): string
    {
        return $this->at->sql->emptyStage($this->stageName);
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
        return implode(' AND ', array_map(fn (string $k): string => "{$left}.".$this->at->sql->name($k)." = {$right}.".$this->at->sql->name($k), $this->landed->key));
    }

    /** The condition that a row's key is the one a list of texts holds. */
    public function keyIs(string $row, string $list): string
    {
        return implode(' AND ', array_map(fn (string $k, int $i): string => "{$row}.".$this->at->sql->name($k).' = '.$this->at->sql->entry($list, $i + 1, $this->type($k)), $this->landed->key, array_keys($this->landed->key)));
    }

    /** @return array<string, string> by column, expressions that take what a line does not say from the landed row */
    public function filled(string $line, string $landed): array
    {
        $filled = [];
        foreach ($this->carried as $i => $name) {
            $column = $this->at->sql->name($name);
            $filled[$name] = $this->mayBeUnsent($this->type($name))
                ? "CASE WHEN substr({$line}.lm_unsent, ".($i + 1).", 1) = '1' THEN {$landed}.{$column} ELSE {$line}.{$column} END"
                : "{$line}.{$column}";
        }

        return $filled;
    }

    /** @param  list<string|false|null>  $row */
    public static function unsent(array $row): string
    {
        return implode('', array_map(static fn (string|false|null $v): string => $v === false ? '1' : '0', $row));
    }

    private function mayBeUnsent(Type $type): bool
    {
        // Only values of varying length are ever stored apart, and so left out when they did not change.
        return ! in_array($type->kind, [TypeKind::Boolean, TypeKind::Int16, TypeKind::Int32, TypeKind::Int64, TypeKind::Float32, TypeKind::Float64, TypeKind::Date, TypeKind::Time, TypeKind::TimeTz, TypeKind::Timestamp, TypeKind::TimestampTz, TypeKind::Interval, TypeKind::Uuid], true);
    }
}
