<?php

declare(strict_types=1);

namespace Lighterman\Core\Definition;

use Lighterman\Core\Capture\Kind\CaptureKind;
use Lighterman\Core\Capture\Origin;
use Lighterman\Core\Landing\Destination;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Shape\Column;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Trouble\InvalidDefinition;

/** Checks that what was chosen for a feed goes together. */
final readonly class ChoiceCheck
{
    public function __construct(private string $name, private CaptureKind $kind, private Origin $origin, private Destination $destination)
    {
    }

    /** @throws InvalidDefinition */
    public function names(int $promiseSeconds): void
    {
        if ($promiseSeconds < 1 || $promiseSeconds > 31_536_000) {
            throw InvalidDefinition::at("{$this->name}: promise_seconds", "{$promiseSeconds} is not between 1 s and a year", 'Give a number of seconds in that span.');
        }
        if (! preg_match('/^[^\s\/?#][^\/?#]{0,118}$/u', $this->name)) {
            throw InvalidDefinition::at('name', "\"{$this->name}\" cannot name a feed", 'Use 1 to 119 characters without / ? and #.');
        }
    }

    /** @throws InvalidDefinition */
    public function columns(Shape $carried): void
    {
        $known = $this->origin->shape->names();
        foreach (['key' => $this->origin->key, 'leave_out' => $this->origin->leaveOut, 'watermark' => (array) $this->origin->watermarkColumn()] as $place => $columns) {
            foreach (array_diff($columns, $known) as $unknown) {
                throw InvalidDefinition::at("{$this->name}: {$place}", "{$this->origin->table} has no column \"{$unknown}\"", 'Its columns are '.implode(', ', $known).'.');
            }
        }
        foreach (array_intersect($this->origin->leaveOut, [...$this->origin->key, ...(array) $this->origin->watermarkColumn()]) as $needed) {
            throw InvalidDefinition::at("{$this->name}: leave_out", "\"{$needed}\" is the key or the watermark", 'Carry it, or choose another key or watermark.');
        }
        foreach ($carried->columns as $column) {
            if ($column->type->kind === TypeKind::Unmappable) {
                throw InvalidDefinition::at("{$this->name}: {$column->name}", "column {$column->name} of {$this->origin->table} is of type {$column->type}, which cannot be carried", "Leave the column out (leave_out: [{$column->name}]), or have the source offer it through a view as text.");
            }
        }
    }

    /** @throws InvalidDefinition */
    public function stamps(LandedTable $landed, Treatment $treatment): void
    {
        $stamps = array_values(array_map(static fn (Column $c): string => $c->name, $landed->technical()));
        $names = array_merge(...array_values(array_map(static fn (LandedTable $t): array => $t->shape->names(), ['' => $landed] + $landed->forks->tables)));
        foreach (array_intersect($stamps, $names) as $taken) {
            throw InvalidDefinition::at("{$this->name}: stamps", "the column \"{$taken}\" that the landing adds has the name of a landed column", 'Name the stamp differently or set it to null, or leave the column out.');
        }
        if (count($stamps) !== count(array_unique($stamps))) {
            throw InvalidDefinition::at("{$this->name}: stamps", 'both stamps have the same name', 'Name them differently.');
        }
        foreach ($treatment->checks as $check) {
            if ($check->kind === 'unique' && $this->kind->bringsChanges()) {
                throw InvalidDefinition::at("{$this->name}: checks", 'a row may rightly come many times in a batch of changes, so nothing can be unique in it', 'Leave the check out, or use capture watermark or reload.');
            }
        }
    }

    /** @throws InvalidDefinition */
    public function partitions(LandedTable $landed): void
    {
        foreach ($landed->tables() as $table) {
            $columns = array_column($table->columns(), null, 'name');
            foreach ($this->destination->partitionBy as $partition) {
                $column = $columns[$partition->column] ?? throw InvalidDefinition::at("{$this->name}: partition_by", "{$table->name} has no column \"{$partition->column}\"", 'Its columns are '.implode(', ', array_keys($columns)).'.');
                if (! $partition->fits($column->type)) {
                    throw InvalidDefinition::at("{$this->name}: partition_by", "{$partition->column} is {$column->type}, which cannot be parted by ".($partition->part ?? 'its values'), $partition->part === null ? 'Choose a column of plain values.' : 'Choose a column of dates or moments, or its values themselves.');
                }
                if ($partition->part !== null && isset($columns[$partition->name()])) {
                    throw InvalidDefinition::at("{$this->name}: partition_by", "the folders of {$partition} would be called {$partition->name()}, as a column is", 'Rename the column on the feed\'s sheet.');
                }
            }
        }
    }

    /** @throws InvalidDefinition */
    public function landing(): void
    {
        if ($this->destination->landing->merges() && $this->origin->key === []) {
            throw InvalidDefinition::at("{$this->name}: key", 'landing upsert needs a key', 'Name the columns that tell rows apart, or use landing replace.');
        }
    }

    /** @throws InvalidDefinition */
    public function fileColumns(): void
    {
        foreach ($this->origin->files?->own->names() ?? [] as $column) {
            if ($this->origin->shape->column($column) === null) {
                throw InvalidDefinition::at("{$this->name}: files", "the shape has no column \"{$column}\" for what is known of the file", 'Add it, or name none.');
            }
        }
    }
}
