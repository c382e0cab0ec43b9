<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Value;

use DateTimeImmutable;
use DateTimeZone;

/**
 * Functions over dates and moments in their text form, `2026-11-23` and `2026-11-23 12:21:44.081+00`. A null makes the
 * result null. Moments with a zone are reckoned in UTC, those without as they stand.
 */
final class Moment
{
    private const FORM = '/^(-?\d{4,6})-(\d\d)-(\d\d)(?:[ T]([01]\d|2[0-3]|24(?=:00(?::00(?:\.0+)?)?(?:Z|[+-]|$))):([0-5]\d)(?::([0-5]\d)(\.\d{1,6})?)?)?(?:(Z|[+-][01]\d(?::?[0-5]\d)?))?$/D';

    /** @param  'y'|'m'|'d'|'H'|'i'|'s'  $part */
    public static function part(?string $moment, string $part): ?string
    {
        if ($moment === null) {
            return null;
        }
        $at = self::at($moment);

        return (string) (int) $at->format(['y' => 'Y', 'm' => 'n', 'd' => 'j', 'H' => 'G', 'i' => 'i', 's' => 's'][$part]);
    }

    public static function date(?string $moment): ?string
    {
        return $moment === null ? null : self::at($moment)->format('Y-m-d');
    }

    /** The first day of the month, or of the year. */
    public static function month(?string $moment): ?string
    {
        return $moment === null ? null : self::at($moment)->format('Y-m-01');
    }

    public static function year(?string $moment): ?string
    {
        return $moment === null ? null : self::at($moment)->format('Y-01-01');
    }

    public static function addDays(?string $date, ?string $days): ?string
    {
        return $date === null || $days === null ? null : self::at($date)->modify(self::whole($days).' days')->format('Y-m-d');
    }

    /** The day stays where the month has it; otherwise it is the month's last. */
    public static function addMonths(?string $date, ?string $months): ?string
    {
        if ($date === null || $months === null) {
            return null;
        }
        $at = self::at($date);
        $first = $at->modify('first day of this month')->modify(self::whole($months).' months');

        return $first->format('Y-m-').sprintf('%02d', min((int) $at->format('j'), (int) $first->format('t')));
    }

    public static function daysBetween(?string $from, ?string $to): ?string
    {
        return $from === null || $to === null ? null : (string) (int) self::at(self::date($from) ?? '')->diff(self::at(self::date($to) ?? ''))->format('%r%a');
    }

    public static function secondsBetween(?string $from, ?string $to): ?string
    {
        return $from === null || $to === null ? null : Number::subtract(self::seconds($to), self::seconds($from));
    }

    private static function seconds(string $moment): ?string
    {
        $at = self::at($moment);

        // The fraction counts forward from the whole second before it, also where seconds are negative.
        return Number::add($at->format('U'), '0.'.$at->format('u'));
    }

    public static function compare(?string $a, ?string $b): ?int
    {
        return $a === null || $b === null ? null : ($a === $b ? 0 : self::at($a) <=> self::at($b));
    }

    public static function at(string $moment): DateTimeImmutable
    {
        static $utc = new DateTimeZone('UTC');
        if (! preg_match(self::FORM, $moment, $p)) {
            throw Fault::because('not_a_date', 'the value is not a date or a moment (infinite ones and those before Christ cannot be reckoned with)');
        }
        $at = (new DateTimeImmutable('now', isset($p[8]) && $p[8] !== 'Z' ? new DateTimeZone(strlen($p[8]) === 3 ? $p[8].':00' : $p[8]) : $utc))
            ->setDate((int) $p[1], (int) $p[2], (int) $p[3])
            ->setTime((int) ($p[4] ?? 0), (int) ($p[5] ?? 0), (int) ($p[6] ?? 0), (int) str_pad(substr($p[7] ?? '', 1), 6, '0'));
        if (! checkdate((int) $p[2], (int) $p[3], max(1, (int) $p[1]))) {
            throw Fault::because('not_a_date', 'there is no such day');
        }

        return $at->setTimezone($utc);
    }

    private static function whole(string $n): string
    {
        return preg_match('/^-?\d{1,6}(\.0*)?$/', $n) ? sprintf('%+d', (int) $n) : throw Fault::because('out_of_range', 'a whole number is wanted here');
    }
}
