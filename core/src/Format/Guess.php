<?php

declare(strict_types=1);

namespace Lighterman\Core\Format;

use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;

/** What type values that are written as text seem to be of, with the evidence. */
final class Guess
{
    /** A type is taken if at least this share of the values that are there fit it; the others will be said. */
    private const ENOUGH = 0.98;

    /** Among at least so many, one value that does not fit is taken for a slip: a small file may hold one as well as a large one. */
    private const ONE_SLIP = 20;

    /** What the evidence says of dates that may be read either way. */
    public const UNTOLD = 'whose day and month cannot be told apart';

    private const DATES = ['yyyy-MM-dd' => '/^\d{4}-\d\d-\d\d$/', 'dd.MM.yyyy' => '/^\d\d\.\d\d\.\d{4}$/', 'dd/MM/yyyy' => '/^(0[1-9]|[12]\d|3[01])\/(0[1-9]|1[0-2])\/\d{4}$/', 'MM/dd/yyyy' => '/^(0[1-9]|1[0-2])\/(0[1-9]|[12]\d|3[01])\/\d{4}$/', 'yyyyMMdd' => '/^(19|20)\d\d(0[1-9]|1[0-2])(0[1-9]|[12]\d|3[01])$/'];

    /**
     * The kinds a value may be of, narrowest first.
     *
     * @return list<string>
     */
    public static function kinds(string $value, string $decimal): array
    {
        $kinds = [];
        foreach (self::DATES as $format => $pattern) {
            if (preg_match($pattern, $value)) {
                $kinds[] = "date {$format}";
            }
        }
        if (preg_match('/^\d{4}-\d\d-\d\d[ T]\d\d:\d\d(:\d\d(\.\d{1,6})?)?(Z|[+-]\d\d(:?\d\d)?)?$/', $value, $m)) {
            $kinds[] = ($m[3] ?? '') === '' ? 'timestamp' : 'timestamptz';
        }
        if (preg_match('/^(true|false)$/i', $value)) {
            $kinds[] = 'boolean';
        }
        // A number with zeros before it is a code: as a number it would lose them.
        if (preg_match('/^[+-]?(0|[1-9]\d{0,17})$/', $value)) {
            $kinds[] = 'integer';
        }
        if (preg_match('/^[+-]?(0|[1-9]\d{0,30})('.preg_quote($decimal, '/').'\d{1,12})?$/', $value)) {
            $kinds[] = 'decimal';
        }
        if (preg_match('/^[+-]?(\d{1,300}('.preg_quote($decimal, '/').'\d{0,300})?|'.preg_quote($decimal, '/').'\d{1,300})([eE][+-]?\d{1,3})?$/', $value) && ! preg_match('/^[+-]?0\d/', $value)) {
            $kinds[] = 'float';
        }

        return $kinds;
    }

    /**
     * @param  list<string|null>  $values
     * @param  non-empty-string  $decimal
     * @return array{type: Type, format: string|null, evidence: string}
     */
    public static function type(array $values, string $decimal): array
    {
        $counts = [];
        $there = 0;
        foreach ($values as $value) {
            if ($value !== null && trim($value) !== '') {
                $there++;
                foreach (self::kinds(trim($value), $decimal) as $kind) {
                    $counts[$kind] = ($counts[$kind] ?? 0) + 1;
                }
            }
        }
        $empty = count($values) - $there;
        $tail = $empty === 0 ? '' : '; '.number_format($empty).' empty';
        [$day, $month] = [$counts['date dd/MM/yyyy'] ?? 0, $counts['date MM/dd/yyyy'] ?? 0];
        if ($there > 0 && self::isEnough(max($day, $month), $there) && min($day, $month) > 0 && ($day === $month || min($day, $month) < max($day, $month) && self::contradicts($values, $day > $month))) {
            // Read the wrong way round they would land as other dates.
            return ['type' => Type::of(TypeKind::Text), 'format' => null, 'evidence' => 'dates in '.number_format(max($day, $month)).' of '.number_format(count($values)).', '.self::UNTOLD."{$tail}; say how they are written, MM/dd/yyyy or dd/MM/yyyy"];
        }
        foreach (['boolean', 'date yyyy-MM-dd', 'date dd.MM.yyyy', $month > $day ? 'date MM/dd/yyyy' : 'date dd/MM/yyyy', 'timestamptz', 'timestamp', 'date yyyyMMdd', 'integer', 'decimal', 'float'] as $kind) {
            $fits = $counts[$kind] ?? 0;
            $wider = ['integer' => $counts['decimal'] ?? 0, 'decimal' => $counts['float'] ?? 0][$kind] ?? 0;
            if ($there > 0 && self::isEnough($fits, $there) && $wider <= $fits) {
                return [
                    'type' => self::typeOf($kind, $values, $decimal),
                    'format' => str_starts_with($kind, 'date ') && $kind !== 'date yyyy-MM-dd' ? substr($kind, 5) : null,
                    'evidence' => "{$kind} in ".number_format($fits).' of '.number_format(count($values)).$tail.($fits < $there ? '; '.number_format($there - $fits).' not' : ''),
                ];
            }
        }

        return ['type' => Type::of(TypeKind::Text), 'format' => null, 'evidence' => 'text in '.number_format($there).' of '.number_format(count($values)).$tail];
    }

    /** @param  positive-int  $there */
    private static function isEnough(int $fits, int $there): bool
    {
        return $fits / $there >= self::ENOUGH || $there >= self::ONE_SLIP && $there - $fits === 1;
    }

    /**
     * Whether some dates can only be read the other way than most.
     *
     * @param  list<string|null>  $values
     */
    private static function contradicts(array $values, bool $dayFirst): bool
    {
        foreach ($values as $value) {
            if (preg_match('/^(\d\d)\/(\d\d)\/\d{4}$/', trim($value ?? ''), $m) && (int) $m[$dayFirst ? 2 : 1] > 12) {
                return true;
            }
        }

        return false;
    }

    /**
     * @param  list<string|null>  $values
     * @param  non-empty-string  $decimal
     */
    private static function typeOf(string $kind, array $values, string $decimal): Type
    {
        if ($kind === 'decimal') {
            $whole = 1;
            $scale = 0;
            foreach ($values as $value) {
                $parts = explode($decimal, ltrim(trim($value ?? ''), '+-'));
                $whole = max($whole, strlen($parts[0]));
                $scale = max($scale, strlen($parts[1] ?? ''));
            }

            // Room for values that the sample does not hold.
            return Type::decimal(min(38, $whole + 4 + $scale), $scale);
        }

        return Type::of(match (true) {
            str_starts_with($kind, 'date') => TypeKind::Date, $kind === 'integer' => TypeKind::Int64, $kind === 'boolean' => TypeKind::Boolean, $kind === 'float' => TypeKind::Float64, $kind === 'timestamp' => TypeKind::Timestamp, default => TypeKind::TimestampTz,
        });
    }
}
