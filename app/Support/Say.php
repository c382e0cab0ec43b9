<?php

declare(strict_types=1);

namespace App\Support;

use App\Models\RouteLog;
use App\Models\Run;
use DateTimeImmutable;
use DateTimeInterface;
use DateTimeZone;
use Illuminate\Support\Facades\Auth;
use Lighterman\Core\Latency\PromiseKept;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\StreamPosition;

/** Numbers, sizes, durations and times in words, the same on every page and in every command. */
final class Say
{
    private const THIN = "\u{202F}";

    /** Exact, with thin spaces between thousands. */
    public static function count(int|float|null $n): string
    {
        return $n === null ? '—' : number_format((float) $n, 0, '.', self::THIN);
    }

    /** Short: 1.24 M. Exact below ten thousand. */
    public static function short(int|float|null $n): string
    {
        return match (true) {
            $n === null => '—',
            $n < 10_000 => self::count($n),
            $n < 999_500 => self::digits($n / 1e3).' k',
            $n < 999_500_000 => self::digits($n / 1e6).' M',
            default => self::digits($n / 1e9).' G',
        };
    }

    public static function rows(int $n): string
    {
        return self::short($n).($n === 1 ? ' row' : ' rows');
    }

    public static function files(int $n): string
    {
        return $n === 1 ? '1 file' : self::count($n).' files';
    }

    public static function bytes(int|float|null $n): string
    {
        return match (true) {
            $n === null => '—',
            $n < 1000 => self::count($n).' B',
            $n < 999_500 => self::digits($n / 1e3).' kB',
            $n < 999_500_000 => self::digits($n / 1e6).' MB',
            default => self::digits($n / 1e9).' GB',
        };
    }

    /** A span of time: 0.4 s, 38 s, 4 min 02 s, 2 h 05 min, 3 d 11 h. */
    public static function span(?float $seconds): string
    {
        if ($seconds === null) {
            return '—';
        }
        if ($seconds < 10) {
            return number_format($seconds, 1).' s';
        }
        $s = (int) round($seconds);

        return match (true) {
            $s < 60 => "{$s} s",
            $s < 3600 => self::pair(intdiv($s, 60), 'min', $s % 60, 's'),
            $s < 86400 => self::pair(intdiv($s, 3600), 'h', intdiv($s % 3600, 60), 'min'),
            default => self::pair(intdiv($s, 86400), 'd', intdiv($s % 86400, 3600), 'h'),
        };
    }

    /** A span without its smaller unit, where only the order matters: 12 min, 10 h. */
    public static function roughly(float $seconds): string
    {
        return preg_replace('/^(\d+ \w+) \d+ \w+$/', '$1', self::span($seconds)) ?? '';
    }

    /** Milliseconds below a second, else a span. */
    public static function took(float $seconds): string
    {
        return $seconds < 1 ? number_format($seconds * 1000, 0).' ms' : self::span($seconds);
    }

    /** A share between 0 and 1 as per cent, never rounded up to 100. */
    public static function share(?float $share): string
    {
        return match (true) {
            $share === null => '—',
            $share >= 1 => '100 %',
            default => number_format(min(99.9, floor($share * 1000) / 10), 1).' %',
        };
    }

    /** A moment in the viewer's zone: the time for today, the date and time otherwise. */
    public static function at(?DateTimeInterface $at, bool $seconds = true): string
    {
        if ($at === null) {
            return '—';
        }
        $here = self::here($at);

        return $here->format(match (true) {
            $here->format('Ymd') !== self::here(now())->format('Ymd') => 'j M H:i', $seconds => 'H:i:s', default => 'H:i',
        });
    }

    /** That nothing is known of the source's changes since some time, for nobody reads them or they wait to land together; empty where they are known. */
    public static function unseen(?RouteLog $log): string
    {
        $since = $log?->unseenSince();

        return $since === null ? '' : ($log->isRead() ? 'known up to ' : 'not seen since ').self::at($since);
    }

    /** Which minutes of a promise do not count, and why: 40 min paused, 3 min not looked at. */
    public static function leftOut(PromiseKept $kept): string
    {
        $said = array_map(static fn (string $why, int $minutes): string => self::count($minutes)." min {$why}", array_keys($kept->leftOut()), $kept->leftOut());

        return implode(', ', $said);
    }

    /** A long name shortened in the middle, since tables of one family differ at the end. */
    public static function name(string $name, int $most = 30): string
    {
        return mb_strlen($name) <= $most ? $name : mb_substr($name, 0, intdiv($most, 2)).'…'.mb_substr($name, -($most - intdiv($most, 2) - 1));
    }

    /** From one position to another, short: milliseconds at most, and a day that both share is said once. */
    public static function window(string $from, string $to): string
    {
        $short = static fn (string $p): string => preg_replace(['/(\d\d:\d\d:\d\d\.\d{1,3})\d*/', '/(\d\d:\d\d:\d\d[.\d]*)\+00\b/'], '$1', $p) ?? $p;
        [$from, $to] = [$short($from), $short($to)];
        $day = substr($from, 0, 11);

        return mb_strimwidth($from, 0, 40, '…').' → '.mb_strimwidth(preg_match('/^\d{4}-\d\d-\d\d $/', $day) && str_starts_with($to, $day) ? substr($to, 11) : $to, 0, 40, '…');
    }

    /** From one place in a log to another, short. */
    public static function places(Position $from, Position $to): string
    {
        if ($from->hasBegun() && $from->isLoading()) {
            return 'load '.implode(', ', $from->loadedTo() ?? ['begun']).' → '.($to->isLoading() ? implode(', ', $to->loadedTo() ?? []) : 'end');
        }
        $place = static fn (Position $p): string => $p instanceof StreamPosition ? $p->place : (string) $p;

        return "{$place($from)} → {$place($to)}";
    }

    /** What a run does. */
    public static function kind(string $kind): string
    {
        return ['load' => 'first load', 'increment' => 'increment', 'reload' => 'reload', 'files' => 'files', 'log' => 'changes', 'log load' => 'load beside changes', Run::JOIN => 'files joined'][$kind] ?? $kind;
    }

    /** Exact, with the zone named, for hovering. */
    public static function exactly(?DateTimeInterface $at): string
    {
        return $at === null ? '' : self::here($at)->format('Y-m-d H:i:s.v T');
    }

    /** In the reader's zone. */
    private static function here(DateTimeInterface $at): DateTimeImmutable
    {
        return DateTimeImmutable::createFromInterface($at)->setTimezone(new DateTimeZone(self::zone()));
    }

    public static function zone(): string
    {
        return Auth::user()->zone ?? 'UTC';
    }

    private static function digits(float $n): string
    {
        return number_format($n, $n < 10 ? 2 : ($n < 100 ? 1 : 0), '.', '');
    }

    private static function pair(int $big, string $bigUnit, int $small, string $smallUnit): string
    {
        return $small === 0 ? "{$big} {$bigUnit}" : sprintf('%d %s %02d %s', $big, $bigUnit, $small, $smallUnit);
    }
}
