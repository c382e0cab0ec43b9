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

    /**
     * Put together at once, since a value may be large.
     *
     * @param  list<string|false|null>  $row  false for what is not known, which is written as null
     * @param  list<string>  $before  further fields, encoded
     * @param  list<string>  $after  further fields, encoded
     */
    public static function line(array $row, array $before = [], array $after = []): string
    {
        return implode("\t", [...$before, ...self::encoded($row), ...$after])."\n";
    }

    /**
     * A line without its end.
     *
     * @param  list<string|null>  $row
     */
    public static function fields(array $row): string
    {
        return implode("\t", self::encoded($row));
    }

    /**
     * @param  list<string|false|null>  $row
     * @return list<string>
     */
    private static function encoded(array $row): array
    {
        // All values are looked at together first: most rows have nothing to escape.
        $plain = strpbrk(implode('', $row), self::SPECIAL) === false;
        $encoded = [];
        foreach ($row as $value) {
            $encoded[] = $value === null || $value === false ? '\\N' : ($plain ? $value : self::field($value));
        }

        return $encoded;
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
