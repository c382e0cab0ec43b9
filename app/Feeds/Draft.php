<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\Feed;
use Lighterman\Core\Capture\Advice;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Capture\FilePattern;
use Lighterman\Core\Capture\FileReading;
use Lighterman\Core\Capture\Kind\Kinds;
use Lighterman\Core\Capture\Origin;
use Lighterman\Core\Capture\TableFacts;
use Lighterman\Core\Capture\Watermark;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Definition\Said;
use Lighterman\Core\Definition\Schedule;
use Lighterman\Core\Landing\Deletes;
use Lighterman\Core\Landing\Destination;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\Stamps;
use Lighterman\Core\Landing\Truncates;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Shape\TableName;
use Lighterman\Core\Trouble\InvalidDefinition;

/** Turns what a person or a file says of one feed into a definition, filling what is left open with what was computed. */
final class Draft
{
    /**
     * @param  array<string, mixed>  $said  keys of a feed in a definition file
     * @return array{FeedDefinition, TableFacts} the definition and what it rests on
     *
     * @throws InvalidDefinition
     */
    public static function make(SourceSystem $source, string $sourceName, array $said): array
    {
        $table = self::table($source, $said['table']);
        $key = array_values($said['key'] ?? []);
        $facts = $source->facts($table, $key, $said['files'] ?? []);
        $advice = new Advice($facts);
        $suggestion = $advice->suggestion();
        $capture = isset($said['capture']) ? Capture::from($said['capture']) : (empty($said['watermark']) ? $suggestion->capture : Kinds::byWatermark()->capture());
        $kind = Kinds::of($capture);
        if (! in_array($capture, $source->capabilities()->captures, true)) {
            throw InvalidDefinition::at("{$table}: capture", "{$sourceName} does not offer capture {$capture->value}", 'It offers '.implode(', ', array_map(static fn (Capture $c): string => $c->value, $source->capabilities()->captures)).'.');
        }
        $watermark = $kind->takesWatermark() ? (($said['watermark'] ?? null) ?: $suggestion->watermark) : null;
        if ($watermark !== null) {
            self::refuse("{$table}: watermark", $advice->watermark($watermark)->result, $advice->watermark($watermark)->reasons, 'Choose another column, or capture reload.');
        }
        if ($key !== []) {
            self::refuse("{$table}: key", $advice->key()->result, $advice->key()->reasons, 'Name all the columns that together tell rows apart.');
        }
        $landing = isset($said['landing']) ? Landing::from($said['landing']) : $kind->landing($suggestion->landing);
        $schema = $said['landed_schema'] ?? self::schema($sourceName);
        $plain = self::plainName($table, $facts);

        return [new FeedDefinition(
            $said['name'] ?? self::freeName($plain, $sourceName),
            new Origin($table, $facts->shape, $capture, $key ?: $suggestion->key,
                $watermark === null ? null : new Watermark($watermark, $facts->columns[$watermark]->unique ?? false, (int) ($said['overlap'] ?? 0)),
                array_values($said['leave_out'] ?? []), self::reading($facts, $landing, $said['files'] ?? [])),
            new Destination(
                isset($said['landed']) ? TableName::parse($said['landed']) : new TableName($schema, $plain->name),
                $landing,
                Deletes::from($said['deletes'] ?? Deletes::Apply->value),
                Truncates::from($said['truncates'] ?? Truncates::Hold->value),
                Stamps::fromArray($said['stamps'] ?? []),
                (bool) ($said['take_over'] ?? false),
                Said::partitions((string) $table, $said['partition_by'] ?? []),
                Said::writing((string) $table, $said['write_as'] ?? []),
            ),
            Said::treatment((string) $table, $said['treatment'] ?? []),
            isset($said['schedule']) ? Schedule::fromArray($said['schedule']) : Schedule::everyMinutes(5),
            (int) ($said['promise_seconds'] ?? 900),
        ), $facts];
    }

    /** A table as it is written for a source; what a source of files calls so is a pattern. */
    public static function table(SourceSystem $source, string $said): TableName
    {
        return array_filter($source->capabilities()->captures, static fn (Capture $c): bool => Kinds::of($c)->readsFiles()) !== [] && ! str_starts_with($said, 'files.') ? new TableName('files', $said) : TableName::parse($said);
    }

    /** A schema of the target named for a source. */
    public static function schema(string $sourceName): string
    {
        return trim((string) preg_replace('/[^\pL\pN_]+/u', '_', $sourceName), '_') ?: 'landed';
    }

    /** The table under a name that can be another table's: a pattern of files has none. */
    public static function plainName(TableName $table, TableFacts $facts): TableName
    {
        return $facts->files === null ? $table : new TableName($table->schema, (new FilePattern($table->name))->tableName());
    }

    /** @param  array<string, mixed>  $said */
    private static function reading(TableFacts $facts, Landing $landing, array $said): ?FileReading
    {
        $found = $facts->files?->reading;

        // Where rows are kept by key, a file taken again does no harm.
        return $found === null || isset($said['changed']) || ! $landing->merges() ? $found : FileReading::fromArray(['changed' => 'again'] + $found->toArray());
    }

    /** A name no feed has yet: the table's, or with the source's before it, or with a number. */
    public static function freeName(TableName $table, string $sourceName): string
    {
        $names = [$table->name, "{$sourceName}.{$table->name}", "{$sourceName}.{$table->schema}.{$table->name}"];
        for ($n = 2; $n < 100; $n++) {
            $names[] = "{$table->name} {$n}";
        }
        $taken = Feed::whereIn('name', $names)->pluck('name')->all();

        return array_values(array_diff($names, $taken))[0];
    }

    /** @param  list<string>  $reasons */
    private static function refuse(string $place, string $result, array $reasons, string $remedy): void
    {
        if ($result === 'refused') {
            throw InvalidDefinition::at($place, rtrim(implode(' ', $reasons), '.'), $remedy);
        }
    }
}
