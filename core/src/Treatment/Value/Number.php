<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Value;

use Brick\Math\BigDecimal;
use Brick\Math\Exception\MathException;
use Brick\Math\RoundingMode;

/**
 * Exact decimal arithmetic over numbers in their text form. A null makes the result null.
 *
 * A double holds every decimal of up to fifteen digits so that rounding gives it back, so sums and products that short
 * are computed in doubles and rounded to their known number of decimal places; anything longer goes through big decimals.
 *
 * @see https://doi.org/10.1145/103162.103163 Goldberg 1991, "What every computer scientist should know", section on binary to decimal conversion
 */
final class Number
{
    private const SHORT = 15;

    /** Digits after the point of a quotient, beyond those of its operands. */
    private const QUOTIENT = 10;

    public static function add(?string $a, ?string $b): ?string
    {
        if ($a === null || $b === null) {
            return null;
        }
        // Spelled out, since it is done for every record.
        if (strlen($a) < self::SHORT - 1 && strlen($b) < self::SHORT - 1 && is_numeric($a) && is_numeric($b) && strpbrk($a.$b, "eE \t\n") === false) {
            [$p, $q] = [strpos($a, '.'), strpos($b, '.')];
            $places = max($p === false ? 0 : strlen($a) - $p - 1, $q === false ? 0 : strlen($b) - $q - 1);
            if ($places === 0) {
                return (string) ((int) $a + (int) $b);
            }
            // A long number and one with many places give more digits than either has.
            if (max($p === false ? strlen($a) : $p, $q === false ? strlen($b) : $q) + $places < self::SHORT) {
                return number_format((float) $a + (float) $b, $places, '.', '');
            }
        }

        return (string) self::big($a)->plus(self::big($b));
    }

    public static function subtract(?string $a, ?string $b): ?string
    {
        if ($a === null || $b === null) {
            return null;
        }
        // Spelled out, since it is done for every record.
        if (strlen($a) < self::SHORT - 1 && strlen($b) < self::SHORT - 1 && is_numeric($a) && is_numeric($b) && strpbrk($a.$b, "eE \t\n") === false) {
            [$p, $q] = [strpos($a, '.'), strpos($b, '.')];
            $places = max($p === false ? 0 : strlen($a) - $p - 1, $q === false ? 0 : strlen($b) - $q - 1);
            if ($places === 0) {
                return (string) ((int) $a - (int) $b);
            }
            // A long number and one with many places give more digits than either has.
            if (max($p === false ? strlen($a) : $p, $q === false ? strlen($b) : $q) + $places < self::SHORT) {
                return number_format((float) $a - (float) $b, $places, '.', '');
            }
        }

        return (string) self::big($a)->minus(self::big($b));
    }

    public static function multiply(?string $a, ?string $b): ?string
    {
        if ($a === null || $b === null) {
            return null;
        }
        if (strlen($a) + strlen($b) < self::SHORT && self::plain($a) && self::plain($b)) {
            return self::rounded((float) $a * (float) $b, self::places($a) + self::places($b));
        }
        if (strlen($a) + strlen($b) > 10_000) {
            throw Fault::tooLong();
        }

        return (string) self::big($a)->multipliedBy(self::big($b));
    }

    /** Rounded half up; trailing zeros are removed. */
    public static function divide(?string $a, ?string $b): ?string
    {
        if ($a === null || $b === null) {
            return null;
        }
        $by = self::big($b);
        if ($by->isZero()) {
            throw Fault::because('division_by_zero', 'it divides by zero');
        }

        $quotient = self::big($a)->dividedBy($by, max(self::places($a), self::places($b)) + self::QUOTIENT, RoundingMode::HALF_UP)->stripTrailingZeros();

        return (string) ($quotient->getScale() < 0 ? $quotient->toScale(0) : $quotient);
    }

    /** The remainder has the sign of the dividend. */
    public static function remainder(?string $a, ?string $b): ?string
    {
        if ($a === null || $b === null) {
            return null;
        }
        $by = self::big($b);
        if ($by->isZero()) {
            throw Fault::because('division_by_zero', 'it divides by zero');
        }

        return (string) self::big($a)->remainder($by);
    }

    public static function negate(?string $a): ?string
    {
        return $a === null ? null : (string) self::big($a)->negated();
    }

    public static function absolute(?string $a): ?string
    {
        return $a === null ? null : (string) self::big($a)->abs();
    }

    /** Half away from zero. */
    public static function round(?string $a, ?string $places): ?string
    {
        if ($a === null || $places === null) {
            return null;
        }
        if (! preg_match('/^-?\d{1,2}$/', $places)) {
            throw Fault::because('out_of_range', 'a number can be rounded to at most 99 places');
        }
        $places = (int) $places;
        if ($places >= 0) {
            return (string) self::big($a)->toScale($places, RoundingMode::HALF_UP);
        }
        $step = BigDecimal::of(10)->power(-$places);

        return (string) self::big($a)->dividedBy($step, 0, RoundingMode::HALF_UP)->multipliedBy($step);
    }

    public static function floor(?string $a): ?string
    {
        return $a === null ? null : (string) self::big($a)->toScale(0, RoundingMode::FLOOR);
    }

    public static function ceiling(?string $a): ?string
    {
        return $a === null ? null : (string) self::big($a)->toScale(0, RoundingMode::CEILING);
    }

    /** The one text that stands for all texts of a number: 5, 5.00 and 5e0 are the same. */
    public static function canonical(?string $number): string
    {
        $number = (string) $number;

        // Nothing else is as long, and what is no finite number is its own text.
        return ! is_numeric($number) || strlen($number) > 400 || preg_match('/e[+-]?\d{4,}/i', $number) === 1 ? $number : (string) BigDecimal::of($number)->stripTrailingZeros();
    }

    public static function compare(?string $a, ?string $b): ?int
    {
        if ($a === null || $b === null) {
            return null;
        }
        if (strlen($a) <= self::SHORT && strlen($b) <= self::SHORT && is_numeric($a) && is_numeric($b)) {
            return (float) $a <=> (float) $b;
        }

        return self::big($a)->compareTo(self::big($b));
    }

    public static function least(?string ...$numbers): ?string
    {
        return array_reduce($numbers, static fn (?string $least, ?string $n): ?string => $n === null || (self::compare($least, $n) ?? 1) <= 0 ? $least : $n);
    }

    public static function greatest(?string ...$numbers): ?string
    {
        return array_reduce($numbers, static fn (?string $most, ?string $n): ?string => $n === null || (self::compare($most, $n) ?? -1) >= 0 ? $most : $n);
    }

    /** A number as it is written in text with a decimal point; blank text is null. */
    public static function of(?string $text): ?string
    {
        $text = $text === null ? '' : trim($text);

        return $text === '' ? null : (string) self::big($text);
    }

    /** Whether it is written with digits, a point and a sign only. */
    private static function plain(string $number): bool
    {
        return is_numeric($number) && strpbrk($number, "eE \t\n") === false;
    }

    private static function rounded(float $value, int $places): string
    {
        return $places === 0 ? (string) (int) $value : number_format($value, $places, '.', '');
    }

    private static function places(string $number): int
    {
        $point = strpos($number, '.');

        return $point === false ? 0 : strlen($number) - $point - 1;
    }

    private static function big(string $number): BigDecimal
    {
        // A huge exponent would be written out digit by digit.
        if (strlen($number) > 10_000 || preg_match('/e[+-]?0*\d{4,}/i', $number)) {
            throw Fault::because('out_of_range', 'the number has too many digits');
        }
        try {
            return BigDecimal::of($number);
        } catch (MathException) {
            throw Fault::because('not_a_number', 'the value is not a number');
        }
    }
}
