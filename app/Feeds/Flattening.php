<?php

declare(strict_types=1);

namespace App\Feeds;

use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Line;
use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Nested;

/** Makes a column of each name that the sampled values of a nested column have. */
final class Flattening
{
    private const MOST = 100;

    /**
     * @param  list<Line>  $lines
     * @param  string  $naming  of the new columns, with {column} and {name}
     * @param  bool  $rest  whether what is left is kept as nested value
     * @param  list<list<string|false|null>>  $rows
     * @return list<Line>
     *
     * @throws InvalidTreatment
     */
    public static function lines(array $lines, int $n, string $naming, bool $rest, array $rows, Shape $read): array
    {
        $line = $lines[$n] ?? throw InvalidTreatment::of('This line is gone: the sheet was changed meanwhile.');
        $at = array_search($line->from, $read->names(), true);
        $kinds = [];
        foreach ($rows as $row) {
            try {
                $value = $at === false || ! is_string($row[$at]) ? null : Nested::decoded($row[$at], exact: true);
            } catch (Fault) {
                continue;
            }
            foreach (is_array($value) && ! array_is_list($value) ? $value : [] as $name => $part) {
                $kinds[(string) $name][] = self::kind($part);
            }
        }
        if ($kinds === []) {
            throw InvalidTreatment::of("None of the sampled values of {$line->name()} is an object, so there is nothing to make columns of.");
        }
        $naming = str_contains($naming, '{name}') ? $naming : '{column}_{name}';
        $new = [];
        foreach (array_slice($kinds, 0, self::MOST, true) as $name => $seen) {
            $type = self::type($seen);
            $new[] = Line::fromArray(['from' => $line->from, 'as' => str_replace(['{column}', '{name}'], [$line->name(), (string) $name], $naming), 'steps' => [['pick' => (string) $name], ...($type === null ? [] : [['convert' => $type]])]]);
        }
        if ($rest) {
            $new[] = Line::fromArray(['from' => $line->from, 'as' => "{$line->name()}_rest", 'steps' => [['rest_without' => array_map(static fn (int|string $k): string => (string) $k, array_keys($kinds))]]]);
        }
        array_splice($lines, $n, 1, $new);

        return $lines;
    }

    private static function kind(mixed $value): string
    {
        return match (true) {
            $value === null => 'null',
            is_bool($value) => 'boolean',
            is_int($value) => 'int64',
            is_array($value) => 'jsonb',
            is_string($value) && preg_match('/^-?\d+\.\d+$/', $value) => 'decimal',
            default => 'text',
        };
    }

    /** @param  list<string>  $seen */
    private static function type(array $seen): ?string
    {
        $kinds = array_values(array_unique(array_diff($seen, ['null'])));
        sort($kinds);

        return match ($kinds) {
            ['boolean'], ['int64'], ['decimal'], ['jsonb'] => $kinds[0],
            ['decimal', 'int64'] => 'decimal',
            default => null,
        };
    }
}
