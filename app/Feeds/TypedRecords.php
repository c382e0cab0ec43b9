<?php

declare(strict_types=1);

namespace App\Feeds;

use JsonException;
use Lighterman\Core\Shape\Shape;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Value\JsonText;
use Lighterman\Core\Treatment\Value\Nested;

/** Records that somebody typed or pasted: JSON, JSON Lines, or delimited text with a head. */
final class TypedRecords
{
    private const MOST = 200;

    private const BYTES = 2_000_000;

    /**
     * @return list<list<string|null>> in the order of the shape's columns; a column that is not given is null
     *
     * @throws InvalidTreatment naming the place
     */
    public static function parse(string $typed, Shape $read): array
    {
        $typed = trim($typed);
        if ($typed === '') {
            return [];
        }
        if (strlen($typed) > self::BYTES) {
            throw InvalidTreatment::of('That is more than 2 MB. Paste fewer records.');
        }
        if (! mb_check_encoding($typed, 'UTF-8')) {
            throw InvalidTreatment::of('That is not valid UTF-8.');
        }
        $records = in_array($typed[0], ['{', '['], true) ? self::json($typed) : self::delimited($typed);
        if (count($records) > self::MOST) {
            throw InvalidTreatment::of('Paste at most '.self::MOST.' records at once.');
        }
        $names = $read->names();

        return array_map(static function (array $record, int $n) use ($names): array {
            foreach (array_diff(array_map(static fn (int|string $k): string => (string) $k, array_keys($record)), $names) as $unknown) {
                throw InvalidTreatment::of('Record '.($n + 1).": the source has no column \"{$unknown}\". It has ".implode(', ', $names).'.');
            }

            return array_map(static fn (string $c): ?string => $record[$c] ?? null, $names);
        }, $records, array_keys($records));
    }

    /** @return list<array<array-key, string|null>> each value as it was written, a number with all of its digits */
    private static function json(string $typed): array
    {
        if (json_validate($typed, 600)) {
            $written = $typed[0] === '[' ? (new JsonText($typed))->elements() : [$typed];
        } else {
            $written = [];
            foreach (preg_split('/\R/', $typed) ?: [] as $n => $line) {
                try {
                    json_decode(trim($line) === '' ? 'null' : $line, true, 600, JSON_THROW_ON_ERROR);
                    trim($line) === '' ?: $written[] = $line;
                } catch (JsonException $e) {
                    throw InvalidTreatment::of('Line '.($n + 1).' is not JSON: '.lcfirst($e->getMessage()).'.');
                }
            }
        }
        $records = [];
        foreach ($written as $n => $record) {
            $text = new JsonText($record);
            $text->isObject() || throw InvalidTreatment::of('Record '.($n + 1).' is not an object of column names and values.');
            $records[] = array_map(static fn (string $value): ?string => Nested::elements("[{$value}]")[0], $text->members());
        }

        return $records;
    }

    /** @return list<array<string, string|null>> */
    private static function delimited(string $typed): array
    {
        $lines = preg_split('/\R/', $typed) ?: [];
        $mark = array_reduce(["\t", ';', ','], static fn (string $best, string $m): string => substr_count($lines[0], $m) > substr_count($lines[0], $best) ? $m : $best, ',');
        $head = array_map(static fn (?string $word): string => trim((string) $word), str_getcsv($lines[0], $mark, '"', ''));
        $records = [];
        foreach (array_slice($lines, 1) as $n => $line) {
            $values = str_getcsv($line, $mark, '"', '');
            if (count($values) !== count($head)) {
                throw InvalidTreatment::of('Line '.($n + 2).' has '.count($values).' values, but the head names '.count($head).' columns.');
            }
            $records[] = array_combine($head, array_map(static fn (?string $v): ?string => $v === '' || $v === '\N' ? null : $v, $values));
        }

        return $records === [] ? throw InvalidTreatment::of('Only a head is there, and no record under it. Records can also be typed as JSON: {"column": "value"}.') : $records;
    }
}
