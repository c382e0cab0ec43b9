<?php

declare(strict_types=1);

namespace Lighterman\Core\Record;

/**
 * Lists as sources write them: an array in its text form.
 *
 * @see https://www.postgresql.org/docs/15/arrays.html#ARRAYS-IO
 */
final class ListText
{
    /**
     * The elements of an array; one of several dimensions gives arrays.
     *
     * @return list<string|null>|null null for a text that is no array
     */
    public static function elements(string $text): ?array
    {
        // Bounds that do not begin at 1 are written before the array.
        $text = preg_replace('/^(\[-?\d+:-?\d+\])+=/', '', $text) ?? $text;
        if ($text === '' || $text[0] !== '{' || $text[-1] !== '}') {
            return null;
        }
        $elements = [];
        $body = substr($text, 1, -1);
        for ($at = 0, $length = strlen($body); $at < $length; $at = $end + 1) {
            $end = self::end($body, $at);
            $raw = substr($body, $at, $end - $at);
            $elements[] = match (true) {
                strcasecmp($raw, 'NULL') === 0 => null,
                $raw !== '' && $raw[0] === '"' => preg_replace('/\\\\(.)/s', '$1', substr($raw, 1, -1)),
                default => $raw,
            };
        }

        return $elements;
    }

    /** Whether an array is more than a list: it has several dimensions, or does not begin at 1. */
    public static function isMore(string $text): bool
    {
        return str_starts_with($text, '[') || str_starts_with($text, '{{');
    }

    /** @param  list<string|null>  $elements */
    public static function of(array $elements): string
    {
        return '{'.implode(',', array_map(static fn (?string $e): string => match (true) {
            $e === null => 'NULL',
            $e === '' || strcasecmp($e, 'NULL') === 0 || strpbrk($e, "{}\",\\ \t\n\r\v\f") !== false => '"'.addcslashes($e, '"\\').'"',
            default => $e,
        }, $elements)).'}';
    }

    /** Where the element that begins at a place ends: at the next comma outside of quotes and braces. */
    private static function end(string $body, int $at): int
    {
        $depth = 0;
        for ($quoted = false, $length = strlen($body); $at < $length; $at++) {
            $c = $body[$at];
            if ($quoted) {
                $at += (int) ($c === '\\');
                $quoted = $c !== '"';
            } elseif ($c === '"') {
                $quoted = true;
            } elseif ($c === '{' || $c === '}') {
                $depth += $c === '{' ? 1 : -1;
            } elseif ($c === ',' && $depth === 0) {
                return $at;
            }
        }

        return min($at, $length);
    }
}
