<?php

declare(strict_types=1);

namespace App\Feeds;

use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Trouble\InvalidDefinition;

/** What of a table is to be loaded again, as somebody says it in a form or on the command line. */
final class SliceInput
{
    /**
     * @param  array<string, mixed>  $given  `what` (whole, range, keys or column), `after` and `until` (a value for each column of the key), `keys` (one a line, the values of a key parted by commas), `column` with `from` and `to`
     *
     * @throws InvalidDefinition
     */
    public static function read(array $given): Slice
    {
        $said = static fn (string $field): ?string => ($given[$field] ?? '') === '' ? null : (string) $given[$field];

        return match ($given['what'] ?? 'whole') {
            'range' => Slice::range(self::key($given['after'] ?? [], 'after'), self::key($given['until'] ?? [], 'until')),
            'keys' => Slice::keys(self::lines((string) $said('keys'))),
            'column' => Slice::between($said('column') ?? throw InvalidDefinition::at('column', 'no column is named', 'Name the column by whose values rows are chosen.'), $said('from'), $said('to')),
            default => Slice::whole(),
        };
    }

    /**
     * @param  array<array-key, string|null>  $values
     * @return list<string>|null
     */
    private static function key(array $values, string $what): ?array
    {
        $said = array_filter($values, static fn (?string $v): bool => $v !== null && $v !== '');
        if ($said === []) {
            return null;
        }

        return count($said) === count($values) ? array_values(array_map(strval(...), $values)) : throw InvalidDefinition::at($what, 'a value is given for some columns of the key and not for all', 'Give one for each, or none.');
    }

    /** @return list<list<string>> */
    private static function lines(string $text): array
    {
        $keys = [];
        foreach (preg_split('/\R/u', $text) ?: [] as $line) {
            if (trim($line) !== '') {
                $keys[] = array_map(static fn (?string $v): string => trim((string) $v), str_getcsv($line, ',', '"', ''));
            }
        }

        return $keys === [] ? throw InvalidDefinition::at('keys', 'no key is given', 'Give one key a line.') : $keys;
    }
}
