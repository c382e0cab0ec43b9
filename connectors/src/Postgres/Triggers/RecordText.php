<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Postgres\Triggers;

/**
 * The text form of a row value: `(1,"a b",,"")`. A field that is empty without quotes is null.
 *
 * @see https://www.postgresql.org/docs/15/rowtypes.html#ROWTYPES-IO-SYNTAX
 */
final class RecordText
{
    /** @return list<string|null> */
    public static function fields(string $record): array
    {
        if (! str_contains($record, '"')) {
            return array_map(static fn (string $f): ?string => $f === '' ? null : $f, explode(',', substr($record, 1, -1)));
        }
        // The server writes quotes and backslashes within quotes twice, and nothing else in another way.
        preg_match_all('/\G[(,]("(?:[^"]++|"")*+"|[^,")]*+)/', $record, $matches);

        return array_map(static fn (string $f): ?string => match (true) {
            $f === '' => null,
            $f[0] === '"' => strtr(substr($f, 1, -1), ['""' => '"', '\\\\' => '\\']),
            default => $f,
        }, $matches[1]);
    }
}
