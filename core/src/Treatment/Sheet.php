<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

use Lighterman\Core\Shape\Shape;

/** Lines about columns, and the order in which what comes of them lands. */
final readonly class Sheet
{
    /** @var list<Line> those that do something; a column without a line is kept as it is */
    public array $lines;

    /**
     * @param  list<Line>  $lines  those that do nothing are left out; one that keeps its column as it is says so only beside others of that column
     * @param  list<string>  $order  landed columns that come first, in this order
     */
    public function __construct(array $lines = [], public array $order = [])
    {
        $of = array_count_values(array_map(static fn (Line $l): string => (string) $l->from, $lines));
        $this->lines = array_values(array_filter($lines, static fn (Line $l): bool => ! $l->isPlain() || $of[(string) $l->from] > 1));
    }

    public function isEmpty(): bool
    {
        return $this->lines === [] && $this->order === [];
    }

    /**
     * A line for every column, in the order of landing: columns where the source has them, what is made on the way after them.
     *
     * @return list<Line>
     *
     * @throws InvalidTreatment
     */
    public function of(Shape $read): array
    {
        $of = [];
        foreach ($this->lines as $line) {
            $of[$line->from ?? ''][] = $line;
        }
        $sheet = [];
        foreach ($read->columns as $column) {
            array_push($sheet, ...($of[$column->name] ?? [new Line($column->name)]));
            unset($of[$column->name]);
        }
        array_push($sheet, ...($of[''] ?? []));
        unset($of['']);
        foreach ($of as $from => $lines) {
            throw InvalidTreatment::of("The source has no column \"{$from}\", which {$lines[0]->name()} comes from.");
        }
        if ($this->order === []) {
            return $sheet;
        }
        $place = array_flip($this->order);
        $sorted = $sheet;
        usort($sorted, static fn (Line $a, Line $b): int => ($place[$a->name()] ?? 100_000 + (int) array_search($a, $sheet, true)) <=> ($place[$b->name()] ?? 100_000 + (int) array_search($b, $sheet, true)));

        return $sorted;
    }

    /** Whether a mask hides what comes of a column. */
    public function hides(string $column): bool
    {
        return array_filter($this->lines, static fn (Line $l): bool => $l->from === $column && $l->masks()) !== [];
    }

    /** @return list<string> the columns that come of one */
    public function comesOf(string $column): array
    {
        return array_values(array_map(static fn (Line $l): string => $l->name(), array_filter($this->lines, static fn (Line $l): bool => $l->from === $column))) ?: [$column];
    }

    /** @return array<string, mixed> only what is set */
    public function toArray(): array
    {
        return array_filter(['columns' => array_map(static fn (Line $l): array => $l->toArray(), $this->lines), 'order' => $this->order]);
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidTreatment
     */
    public static function fromArray(array $data): self
    {
        return new self(
            array_values(array_map(static fn (mixed $l): Line => Line::fromArray((array) $l), (array) ($data['columns'] ?? []))),
            array_values(array_map(static fn (mixed $n): string => (string) $n, (array) ($data['order'] ?? []))),
        );
    }
}
