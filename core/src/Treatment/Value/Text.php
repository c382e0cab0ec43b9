<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Value;

/** Functions over text. Positions and lengths are in characters; a null makes the result null. */
final class Text
{
    public static function join(?string ...$parts): ?string
    {
        $length = 0;
        foreach ($parts as $part) {
            if ($part === null) {
                return null;
            }
            $length += strlen($part);
        }

        return self::bounded($length, static fn (): string => implode('', $parts));
    }

    public static function upper(?string $t): ?string
    {
        return $t === null ? null : mb_strtoupper($t, 'UTF-8');
    }

    public static function lower(?string $t): ?string
    {
        return $t === null ? null : mb_strtolower($t, 'UTF-8');
    }

    public static function trim(?string $t): ?string
    {
        if ($t === null) {
            return null;
        }
        $t = trim($t);

        // trim() goes by bytes, of which this space has two, and other characters end in the same.
        return str_starts_with($t, "\u{A0}") || str_ends_with($t, "\u{A0}") ? preg_replace('/^[\s\0]+|[\s\0]+$/Du', '', $t) ?? throw self::notUtf8() : $t;
    }

    /** Runs of white space become one space, and none is left at the ends. */
    public static function tidy(?string $t): ?string
    {
        return $t === null ? null : trim(preg_replace('/\s+/u', ' ', $t) ?? throw self::notUtf8());
    }

    private static function notUtf8(): Fault
    {
        return Fault::because('invalid_utf8', 'the value is not valid UTF-8');
    }

    public static function left(?string $t, ?string $n): ?string
    {
        return $t === null || $n === null ? null : mb_substr($t, 0, max(0, self::count($n)), 'UTF-8');
    }

    public static function right(?string $t, ?string $n): ?string
    {
        $n = $n === null ? null : self::count($n);

        return $t === null || $n === null ? null : ($n <= 0 ? '' : mb_substr($t, -$n, null, 'UTF-8'));
    }

    /** From a character, counted from 1, on. */
    public static function part(?string $t, ?string $from, ?string $n): ?string
    {
        return $t === null || $from === null || $n === null ? null : mb_substr($t, max(0, self::count($from) - 1), max(0, self::count($n)), 'UTF-8');
    }

    public static function length(?string $t): ?string
    {
        return $t === null ? null : (string) mb_strlen($t, 'UTF-8');
    }

    public static function replace(?string $t, ?string $what, ?string $by): ?string
    {
        if ($t === null || $what === null || $by === null) {
            return null;
        }
        if ($what === '') {
            return $t;
        }

        return self::bounded(strlen($t) + substr_count($t, $what) * max(0, strlen($by) - strlen($what)), static fn (): string => str_replace($what, $by, $t));
    }

    public static function padLeft(?string $t, ?string $n, ?string $with): ?string
    {
        return self::pad($t, $n, $with, static fn (string $t, string $pad): string => $pad.$t);
    }

    public static function padRight(?string $t, ?string $n, ?string $with): ?string
    {
        return self::pad($t, $n, $with, static fn (string $t, string $pad): string => $t.$pad);
    }

    /** The n-th piece, counted from 1; null where there is none. */
    public static function piece(?string $t, ?string $mark, ?string $n): ?string
    {
        if ($t === null || $mark === null || $n === null) {
            return null;
        }

        return $mark === '' ? $t : explode($mark, $t)[self::count($n) - 1] ?? null;
    }

    public static function contains(?string $t, ?string $what): ?bool
    {
        return $t === null || $what === null ? null : str_contains($t, $what);
    }

    public static function startsWith(?string $t, ?string $what): ?bool
    {
        return $t === null || $what === null ? null : str_starts_with($t, $what);
    }

    public static function endsWith(?string $t, ?string $what): ?bool
    {
        return $t === null || $what === null ? null : str_ends_with($t, $what);
    }

    /** By the bytes of their UTF-8, so that the order is the same everywhere. */
    public static function compare(?string $a, ?string $b): ?int
    {
        return $a === null || $b === null ? null : strcmp($a, $b) <=> 0;
    }

    /** @param  callable(string, string): string  $put */
    private static function pad(?string $t, ?string $n, ?string $with, callable $put): ?string
    {
        if ($t === null || $n === null || $with === null) {
            return null;
        }
        if ($with === '') {
            return $t;
        }
        $missing = self::count($n) - mb_strlen($t, 'UTF-8');
        if ($missing <= 0) {
            return $t;
        }

        return self::bounded($missing * strlen($with), static fn (): string => $put($t, mb_substr(str_repeat($with, intdiv($missing, mb_strlen($with, 'UTF-8')) + 1), 0, $missing, 'UTF-8')));
    }

    /** @param  callable(): string  $make */
    private static function bounded(int $bytes, callable $make): string
    {
        return $bytes > Limits::TEXT ? throw Fault::tooLong() : $make();
    }

    private static function count(string $n): int
    {
        return preg_match('/^-?\d{1,9}(\.0*)?$/', $n) ? (int) $n : throw Fault::because('out_of_range', 'a whole number is wanted where characters are counted');
    }
}
