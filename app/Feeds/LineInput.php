<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\System;
use App\Runtime\Common\Systems;
use Illuminate\Http\Request;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Line;
use Lighterman\Core\Treatment\Step\AsksTable;
use Lighterman\Core\Treatment\Step\Steps;
use Lighterman\Core\Trouble\SystemTrouble;

/** Reads the forms of the column sheet and of the checks. */
final class LineInput
{
    /** @throws InvalidTreatment */
    public static function line(Request $request, Line $was): Line
    {
        $steps = [];
        foreach ((array) $request->input('steps', []) as $i => $step) {
            if ((string) $i !== (string) $request->input('remove', '')) {
                $steps[] = self::step((array) $step);
            }
        }
        $added = Steps::named((string) $request->input('add'));
        if ($added !== null && ($begins = $added::begins()) !== null) {
            $steps[] = $begins + (is_subclass_of($added, AsksTable::class) ? ['system' => (string) System::orderBy('name')->value('name')] : []);
        }

        return Line::fromArray(['from' => $was->from, 'as' => trim((string) $request->input('as')), 'drop' => $request->boolean('drop'), 'steps' => $steps]);
    }

    /**
     * @param  array<string, mixed>  $typed
     * @return array<string, mixed>
     *
     * @throws InvalidTreatment
     */
    private static function step(array $typed): array
    {
        $do = is_string($typed['do'] ?? null) ? $typed['do'] : '';
        $step = Steps::named($do) ?? throw InvalidTreatment::of("There is no step \"{$do}\".");
        $said = $step::typed($typed);

        return is_subclass_of($step, AsksTable::class) ? self::withTypes($step, $said) : $said;
    }

    /**
     * The types of another table's columns are those that it has now.
     *
     * @param  class-string<AsksTable>  $step
     * @param  array<string, mixed>  $said
     * @return array<string, mixed>
     *
     * @throws InvalidTreatment if there is no such table or column
     */
    private static function withTypes(string $step, array $said): array
    {
        $table = (string) $said[$step::tableKey()];
        $system = System::where('name', $said['system'])->first() ?? throw InvalidTreatment::of("There is no system \"{$said['system']}\". There are ".System::orderBy('name')->pluck('name')->implode(', ').'.');
        try {
            $shape = app(Systems::class)->source($system)->shape(TableName::parse($table));
        } catch (SystemTrouble $trouble) {
            throw InvalidTreatment::of($trouble->getMessage());
        }
        foreach ($step::typeKeys() as $column => $type) {
            $known = $shape->column((string) $said[$column]) ?? throw InvalidTreatment::of("{$system->name}.{$table} has no column \"{$said[$column]}\". It has ".implode(', ', $shape->names()).'.');
            $said[$type] = in_array($known->type->kind, Type::writable(), true) ? (string) $known->type : 'text';
        }

        return $said;
    }

    /**
     * Does the same to every ticked line.
     *
     * @param  list<Line>  $lines
     * @param  list<int>  $ticked
     * @return list<Line>
     *
     * @throws InvalidTreatment
     */
    public static function bulk(array $lines, array $ticked, string $act, Request $request): array
    {
        if ($ticked === []) {
            throw InvalidTreatment::of('No column is ticked.');
        }
        foreach ($ticked as $n) {
            $line = $lines[$n]->toArray();
            $step = match (true) {
                $act === 'keep', $act === 'drop' => null,
                str_starts_with($act, 'mask:') => ['mask' => substr($act, 5)],
                $act === 'convert' => ['convert' => trim((string) $request->input('type'))],
                default => throw InvalidTreatment::of('Choose what is to be done to the ticked columns.'),
            };
            $lines[$n] = Line::fromArray(match (true) {
                $act === 'keep' && $lines[$n]->from !== null => ['from' => $lines[$n]->from],
                $act === 'drop' => ['drop' => true] + $line,
                $step !== null => ['drop' => false, 'steps' => [...$line['steps'] ?? [], $step]] + $line,
                default => $line,
            });
        }

        return array_values($lines);
    }

    /** @return array<string, mixed> a check as a definition says it */
    public static function check(Request $request): array
    {
        $all = $request->only(['check', 'name', 'from', 'to', 'pattern', 'west', 'south', 'east', 'north', 'expression', 'else']);
        $kind = (string) ($all['check'] ?? '');
        $columns = $kind === 'box' ? [(string) $request->input('column'), (string) $request->input('north_column')] : ($kind === 'unique' ? self::list((string) $request->input('columns')) : ($kind === 'expression' ? [] : [(string) $request->input('column')]));

        return ['columns' => $columns, 'values' => self::list(is_string($values = $request->input('values')) ? $values : ''), 'as_read' => $request->boolean('as_read')]
            + ($request->filled('limit_percent') ? ['limit' => ['percent' => $request->input('limit_percent'), 'of' => $request->input('limit_of') ?: 10_000]] : []) + $all;
    }

    /** @return list<string> */
    private static function list(string $typed): array
    {
        return array_values(array_filter(array_map(trim(...), explode(',', $typed)), static fn (string $s): bool => $s !== ''));
    }
}
