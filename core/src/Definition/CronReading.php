<?php

declare(strict_types=1);

namespace Lighterman\Core\Definition;

/** Puts a five-field cron expression into words. Falls back to naming the fields where a sentence would be longer than them. */
final class CronReading
{
    private const MONTHS = [1 => 'January', 'February', 'March', 'April', 'May', 'June', 'July', 'August', 'September', 'October', 'November', 'December'];

    private const DAYS = ['Sunday', 'Monday', 'Tuesday', 'Wednesday', 'Thursday', 'Friday', 'Saturday', 'Sunday'];

    public static function of(string $expression): string
    {
        $aliases = ['@yearly' => '0 0 1 1 *', '@annually' => '0 0 1 1 *', '@monthly' => '0 0 1 * *', '@weekly' => '0 0 * * 0', '@daily' => '0 0 * * *', '@midnight' => '0 0 * * *', '@hourly' => '0 * * * *'];
        [$minute, $hour, $day, $month, $weekday] = preg_split('/\s+/', trim($aliases[$expression] ?? $expression)) ?: [];

        $parts = [self::time($minute, $hour)];
        if ($day !== '*') {
            $parts[] = 'on day '.self::span($day).' of the month';
        }
        if ($weekday !== '*') {
            // Cron runs when either of the two day fields matches, if both are given.
            $parts[] = ($day !== '*' ? 'and also on ' : 'on ').self::span($weekday, self::DAYS, ['SUN' => 0, 'MON' => 1, 'TUE' => 2, 'WED' => 3, 'THU' => 4, 'FRI' => 5, 'SAT' => 6]);
        }
        if ($month !== '*') {
            $parts[] = 'in '.self::span($month, self::MONTHS, array_flip(array_map(static fn (string $m): string => strtoupper(substr($m, 0, 3)), self::MONTHS)));
        }

        return implode(' ', $parts);
    }

    private static function time(string $minute, string $hour): string
    {
        if (ctype_digit($minute) && preg_match('/^\d+(,\d+)*$/', $hour)) {
            return 'at '.self::join(array_map(static fn (string $h): string => sprintf('%02d:%02d', $h, $minute), explode(',', $hour)));
        }
        $every = match (true) {
            $minute === '*' => 'every minute',
            (bool) preg_match('#^(?:\*|0)/(\d+)$#', $minute, $m) => "every {$m[1]} minutes",
            $minute === '0' => 'every hour',
            default => 'at minute '.self::span($minute),
        };

        return $every.match (true) {
            $hour === '*' => str_starts_with($every, 'at') ? ' of every hour' : '',
            (bool) preg_match('#^\*/(\d+)$#', $hour, $m) => ", every {$m[1]} hours",
            (bool) preg_match('/^(\d+)-(\d+)$/', $hour, $m) => sprintf(' from %02d:00 to %02d:59', $m[1], $m[2]),
            default => ' in hour '.self::span($hour),
        };
    }

    /**
     * @param  array<int, string>  $names
     * @param  array<string, int>  $short
     */
    private static function span(string $field, array $names = [], array $short = []): string
    {
        $name = static function (string $v) use ($names, $short): string {
            $n = $short[strtoupper($v)] ?? $v;

            return $names[$n] ?? (string) $n;
        };

        return self::join(array_map(static function (string $part) use ($name): string {
            $range = strtok($part, '/') ?: '*';
            $step = strtok('/');
            $said = $range === '*' ? 'any' : implode(' to ', array_map($name, explode('-', $range)));

            return $step === false ? $said : "{$said}, every {$step}";
        }, explode(',', $field)));
    }

    /** @param  list<string>  $words */
    private static function join(array $words): string
    {
        $last = array_pop($words);

        return $words ? implode(', ', $words)." and {$last}" : (string) $last;
    }
}
