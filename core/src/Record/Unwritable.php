<?php

declare(strict_types=1);

namespace Lighterman\Core\Record;

/**
 * Values that no text column of a target can hold: a zero byte ends a value, or is refused, wherever text is handed on as
 * it is written.
 */
final class Unwritable
{
    /** In one word, as a reason for which a record is set aside. */
    public const REASON = 'zero_byte';

    /**
     * @param  list<string>  $columns
     * @param  list<string|false|null>  $row
     * @return string|null the first column whose value cannot be written
     */
    public static function column(array $columns, array $row): ?string
    {
        foreach ($row as $i => $value) {
            if (is_string($value) && str_contains($value, "\0")) {
                return $columns[$i];
            }
        }

        return null;
    }

    /** Without the value, which may be hidden. */
    public static function why(string $column): string
    {
        return "{$column} holds a zero byte, which text of the target cannot.";
    }
}
