<?php

declare(strict_types=1);

namespace Lighterman\Core\Format\Avro;

use Lighterman\Core\Format\UnfitValue;

/** Dates and moments as text, and as days and microseconds since 1970, in the Gregorian calendar of all years. */
final class Calendar
{
    private const DAY = 86_400_000_000;

    /** @throws UnfitValue */
    public static function days(string $date): int
    {
        if (! preg_match('/^(\d{4,})-(\d\d)-(\d\d)( BC)?$/', $date, $m)) {
            throw UnfitValue::of($date, 'a date');
        }

        return self::fromCivil(isset($m[4]) ? 1 - (int) $m[1] : (int) $m[1], (int) $m[2], (int) $m[3]);
    }

    public static function date(int $days): string
    {
        [$year, $month, $day] = self::toCivil($days);

        return sprintf('%04d-%02d-%02d%s', $year <= 0 ? 1 - $year : $year, $month, $day, $year <= 0 ? ' BC' : '');
    }

    /**
     * @param  string  $time  with up to six digits of a second's fraction
     *
     * @throws UnfitValue
     */
    public static function micros(string $time): int
    {
        if (! preg_match('/^(\d\d):(\d\d)(?::(\d\d)(?:\.(\d{1,6}))?)?$/', $time, $m)) {
            throw UnfitValue::of($time, 'a time of day');
        }

        return (((int) $m[1] * 60 + (int) $m[2]) * 60 + (int) ($m[3] ?? 0)) * 1_000_000 + (int) str_pad($m[4] ?? '', 6, '0');
    }

    public static function time(int $micros): string
    {
        $seconds = intdiv($micros, 1_000_000);
        $fraction = $micros % 1_000_000;

        return sprintf('%02d:%02d:%02d', intdiv($seconds, 3600), intdiv($seconds, 60) % 60, $seconds % 60).($fraction === 0 ? '' : rtrim(sprintf('.%06d', $fraction), '0'));
    }

    /**
     * @param  string  $moment  such as `2026-11-24 10:00:00.5+00`; without a zone it is taken as it stands
     *
     * @throws UnfitValue
     */
    public static function moment(string $moment): int
    {
        if (! preg_match('/^(\d{4,}-\d\d-\d\d)[ T](\d\d:\d\d(?::\d\d(?:\.\d{1,6})?)?)(?:(Z)|([+-])(\d\d)(?::?(\d\d)(?::?(\d\d))?)?)?( BC)?$/', $moment, $m)) {
            throw UnfitValue::of($moment, 'a moment');
        }
        $zone = ($m[4] ?? '') === '' ? 0 : (((int) ($m[5] ?? 0) * 60 + (int) ($m[6] ?? 0)) * 60 + (int) ($m[7] ?? 0)) * ($m[4] === '-' ? -1 : 1);

        return self::days($m[1].($m[8] ?? '')) * self::DAY + self::micros($m[2]) - $zone * 1_000_000;
    }

    /** @param  string  $zone  written after it */
    public static function momentText(int $micros, string $zone): string
    {
        $days = intdiv($micros, self::DAY) - ($micros % self::DAY < 0 ? 1 : 0);
        $date = self::date($days);
        $era = str_ends_with($date, ' BC') ? ' BC' : '';

        return substr($date, 0, strlen($date) - strlen($era)).' '.self::time($micros - $days * self::DAY).$zone.$era;
    }

    /** @see https://howardhinnant.github.io/date_algorithms.html#days_from_civil */
    private static function fromCivil(int $year, int $month, int $day): int
    {
        $year -= $month <= 2 ? 1 : 0;
        $era = intdiv($year >= 0 ? $year : $year - 399, 400);
        $ofEra = $year - $era * 400;
        $ofYear = intdiv(153 * ($month + ($month > 2 ? -3 : 9)) + 2, 5) + $day - 1;

        return $era * 146_097 + $ofEra * 365 + intdiv($ofEra, 4) - intdiv($ofEra, 100) + $ofYear - 719_468;
    }

    /** @return array{int, int, int} year, month and day */
    private static function toCivil(int $days): array
    {
        $days += 719_468;
        $era = intdiv($days >= 0 ? $days : $days - 146_096, 146_097);
        $ofEra = $days - $era * 146_097;
        $year = intdiv($ofEra - intdiv($ofEra, 1460) + intdiv($ofEra, 36_524) - intdiv($ofEra, 146_096), 365);
        $ofYear = $ofEra - (365 * $year + intdiv($year, 4) - intdiv($year, 100));
        $shifted = intdiv(5 * $ofYear + 2, 153);
        $month = $shifted + ($shifted < 10 ? 3 : -9);

        return [$year + $era * 400 + ($month <= 2 ? 1 : 0), $month, $ofYear - intdiv(153 * $shifted + 2, 5) + 1];
    }
}
