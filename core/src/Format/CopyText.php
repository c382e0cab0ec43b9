<?php

declare(strict_types=1);

namespace Lighterman\Core\Format;

/**
 * The text form of PostgreSQL's COPY: one line a row, fields parted by tabs, `\N` for null, backslash escapes.
 *
 * @see https://www.postgresql.org/docs/15/sql-copy.html "File Formats, Text Format"
 */
final class CopyText
{
    private const ESCAPES = ['\\' => '\\\\', "\n" => '\\n', "\r" => '\\r', "\t" => '\\t', "\x08" => '\\b', "\f" => '\\f', "\v" => '\\v'];

    private const UNESCAPES = ['\\\\' => '\\', '\\n' => "\n", '\\r' => "\r", '\\t' => "\t", '\\b' => "\x08", '\\f' => "\f", '\\v' => "\v"];

    /** Characters that are escaped. */
    private const SPECIAL = "\\\n\r\t\x08\f\v";

    public static function field(?string $value): string
    {
        // Most values have nothing to escape, and seeing that costs a fraction of translating them.
        return $value === null ? '\\N' : (strpbrk($value, self::SPECIAL) === false ? $value : strtr($value, self::ESCAPES));
    }

    /** @param  list<string|false|null>  $row  false for what is not known, which is written as null */
    public static function line(array $row): string
    {
        return self::fields($row)."\n";
    }

    /**
     * A line without its end.
     *
     * @param  list<string|false|null>  $row
     */
    public static function fields(array $row): string
    {
        // All values are looked at together first: most rows have nothing to escape.
        $plain = strpbrk(implode('', $row), self::SPECIAL) === false;
        if ($plain && ! in_array(null, $row, true) && ! in_array(false, $row, true)) {
            return implode("\t", $row);
        }
        foreach ($row as $i => $value) {
            if ($value === null || $value === false) {
                $row[$i] = '\\N';
            } elseif (! $plain) {
                $row[$i] = self::field($value);
            }
        }

        return implode("\t", $row);
    }

    public static function value(string $field): ?string
    {
        return $field === '\\N' ? null : (str_contains($field, '\\') ? strtr($field, self::UNESCAPES) : $field);
    }

    /** @return list<string|null> */
    public static function row(string $line): array
    {
        return array_map(self::value(...), explode("\t", rtrim($line, "\n")));
    }
}
