<?php

declare(strict_types=1);

namespace Lighterman\Core\Definition;

use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Shape\TypedText;
use Lighterman\Core\Trouble\InvalidDefinition;

/** Whether a slice can be read of a feed's table. */
final class SliceCheck
{
    /**
     * Refuses values that the columns cannot hold, before anything is asked of the source.
     *
     * @throws InvalidDefinition
     */
    public static function check(Slice $slice, FeedDefinition $definition): void
    {
        $key = static fn (?array $values, string $what): array => $values === null ? [] : [[$what, $definition->origin->key, $values]];
        $said = [...$key($slice->after, 'after'), ...$key($slice->until, 'until'), ...array_merge(...array_map(static fn (array $k): array => $key($k, 'keys'), $slice->keys ?? []))];
        if ($slice->column !== null) {
            $definition->origin->shape->column($slice->column) ?? throw InvalidDefinition::at('column', "{$definition->origin->table} has no column {$slice->column}", 'Name a column of the table.');
            $said = [...$said, ...($slice->from === null ? [] : [['from', [$slice->column], [$slice->from]]]), ...($slice->to === null ? [] : [['to', [$slice->column], [$slice->to]]])];
        }
        if (count($slice->keys ?? []) > Slice::KEYS) {
            throw InvalidDefinition::at('keys', count($slice->keys ?? []).' keys are more than '.Slice::KEYS, 'Name fewer at a time, or give a range.');
        }
        foreach ($said as [$what, $columns, $values]) {
            if (count($columns) !== count($values)) {
                throw InvalidDefinition::at($what, 'the key has '.count($columns).' columns ('.implode(', ', $columns).'), and '.count($values).' values are given', 'Give one value for each column of the key.');
            }
            foreach ($columns as $i => $column) {
                $type = $definition->origin->shape->column($column)?->type;
                if ($type !== null && ! TypedText::accepts($type, (string) $values[$i])) {
                    throw InvalidDefinition::at($what, '"'.mb_strcut((string) $values[$i], 0, 60)."\" is not a value of {$column}, which is {$type}", 'Give a value such as '.TypedText::example($type).'.');
                }
            }
        }
    }
}
