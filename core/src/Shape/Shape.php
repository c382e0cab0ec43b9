<?php

declare(strict_types=1);

namespace Lighterman\Core\Shape;

/** The columns of a table at a moment, in order, with its primary key. */
final readonly class Shape
{
    /**
     * @param  list<Column>  $columns
     * @param  list<string>  $key  column names of the primary key; empty when the table has none
     */
    public function __construct(public array $columns, public array $key = [])
    {
    }

    public function column(string $name): ?Column
    {
        foreach ($this->columns as $column) {
            if ($column->name === $name) {
                return $column;
            }
        }

        return null;
    }

    /** @return list<string> */
    public function names(): array
    {
        return array_map(static fn (Column $c): string => $c->name, $this->columns);
    }

    /** @param  list<string>  $names */
    public function without(array $names): self
    {
        return new self(array_values(array_filter(
            $this->columns,
            static fn (Column $c): bool => ! in_array($c->name, $names, true),
        )), $this->key);
    }

    /** What became different between this shape and a later one. Comments do not count. */
    public function difference(self $later): ShapeDifference
    {
        $gone = array_values(array_diff($this->names(), $later->names()));
        $added = array_values(array_filter($later->columns, fn (Column $c): bool => $this->column($c->name) === null));
        $retyped = [];
        foreach ($this->columns as $before) {
            $after = $later->column($before->name);
            if ($after && ! $before->type->equals($after->type)) {
                $retyped[$before->name] = [$before->type, $after->type];
            }
        }

        return new ShapeDifference($added, $gone, $retyped, $this->key === $later->key ? null : [$this->key, $later->key]);
    }

    /** @return array<string, mixed> */
    public function toArray(): array
    {
        return ['columns' => array_map(static fn (Column $c): array => $c->toArray(), $this->columns), 'key' => $this->key];
    }

    /** @param  array<string, mixed>  $data */
    public static function fromArray(array $data): self
    {
        return new self(array_values(array_map(Column::fromArray(...), $data['columns'])), $data['key'] ?? []);
    }
}
