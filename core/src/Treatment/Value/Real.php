<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Value;

/** Inexact numbers and truth values, to and from their text form. */
final class Real
{
    private const SPECIAL = ['NaN' => NAN, 'Infinity' => INF, '-Infinity' => -INF];

    public static function of(?string $text): ?float
    {
        return $text === null ? null : (self::SPECIAL[$text] ?? (is_numeric($text) ? (float) $text : throw Fault::because('not_a_number', 'the value is not a number')));
    }

    /** As short as it can be so that reading it gives the same number. */
    public static function text(?float $value): ?string
    {
        return match (true) {
            $value === null => null,
            is_nan($value) => 'NaN',
            is_infinite($value) => $value > 0 ? 'Infinity' : '-Infinity',
            default => (string) json_encode($value),
        };
    }

    public static function flag(?bool $value): ?string
    {
        return $value === null ? null : ($value ? 't' : 'f');
    }

    public static function calculate(?float $a, string $operator, ?float $b): ?float
    {
        if ($a === null || $b === null) {
            return null;
        }

        return match ($operator) {
            '+' => $a + $b,
            '-' => $a - $b,
            '*' => $a * $b,
            '/' => $b === 0.0 ? throw Fault::because('division_by_zero', 'it divides by zero') : $a / $b,
            default => $b === 0.0 ? throw Fault::because('division_by_zero', 'it divides by zero') : fmod($a, $b),
        };
    }

    public static function compare(?float $a, ?float $b): ?int
    {
        return $a === null || $b === null ? null : $a <=> $b;
    }

    public static function compareFlags(?bool $a, ?bool $b): ?int
    {
        return $a === null || $b === null ? null : $a <=> $b;
    }

    public static function all(?bool $a, ?bool $b): ?bool
    {
        return $a === false || $b === false ? false : ($a === null || $b === null ? null : true);
    }

    public static function either(?bool $a, ?bool $b): ?bool
    {
        return $a === true || $b === true ? true : ($a === null || $b === null ? null : false);
    }

    public static function not(?bool $a): ?bool
    {
        return $a === null ? null : ! $a;
    }
}
