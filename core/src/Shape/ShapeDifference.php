<?php

declare(strict_types=1);

namespace Lighterman\Core\Shape;

/** How one shape of a table differs from an earlier one. */
final readonly class ShapeDifference
{
    /**
     * @param  list<Column>  $added
     * @param  list<string>  $gone
     * @param  array<string, array{Type, Type}>  $retyped  column name to the type before and after
     * @param  array{list<string>, list<string>}|null  $key  the key before and after, when it changed
     */
    public function __construct(
        public array $added,
        public array $gone,
        public array $retyped,
        public ?array $key,
    ) {
    }

    public function isEmpty(): bool
    {
        return ! $this->added && ! $this->gone && ! $this->retyped && $this->key === null;
    }

    /** @return list<string> one sentence per difference */
    public function sentences(): array
    {
        $said = [];
        foreach ($this->added as $column) {
            $said[] = "Column {$column->name} ({$column->type}) is new.";
        }
        foreach ($this->gone as $name) {
            $said[] = "Column {$name} is gone.";
        }
        foreach ($this->retyped as $name => [$before, $after]) {
            $said[] = "Column {$name} was {$before} and is now {$after}.";
        }
        if ($this->key !== null) {
            $words = static fn (array $key): string => $key ? implode(', ', $key) : 'none';
            $said[] = "The key was {$words($this->key[0])} and is now {$words($this->key[1])}.";
        }

        return $said;
    }
}
