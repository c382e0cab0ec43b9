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
        // Quick, but it copies every value twice.
        if (strlen($record) < 65_536 && ! str_contains($record, '"')) {
            return array_map(static fn (string $f): ?string => $f === '' ? null : $f, explode(',', substr($record, 1, -1)));
        }
        $fields = [];
        for ($at = 1, $end = strlen($record); $at < $end; $at++) {
            if ($record[$at] !== '"') {
                $length = strcspn($record, ',)', $at);
                $fields[] = $length === 0 ? null : substr($record, $at, $length);
                $at += $length;

                continue;
            }
            // The server writes quotes and backslashes within quotes twice, and nothing else in another way.
            for ($close = $at + 1; $record[$close = (int) strpos($record, '"', $close)] === '"' && $record[$close + 1] === '"'; $close += 2) {
                continue;
            }
            $field = substr($record, $at + 1, $close - $at - 1);
            $fields[] = strpbrk($field, '"\\') === false ? $field : strtr($field, ['""' => '"', '\\\\' => '\\']);
            $at = $close + 1;
        }

        return $fields;
    }
}
