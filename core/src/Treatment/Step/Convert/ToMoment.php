<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Convert;

use DateTimeImmutable;
use DateTimeZone;
use Exception;
use Lighterman\Core\Shape\Type;
use Lighterman\Core\Shape\TypeKind;
use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\InvalidStep;
use Lighterman\Core\Treatment\Value\Moment;
use Lighterman\Core\Treatment\Value\Worker;

/**
 * A date or a moment out of text; blank text, and a date of zeros only, is null. What is written without an offset is meant in the
 * stated zone; what is written with one becomes the date, or the time, that it is in that zone.
 */
final readonly class ToMoment implements Worker
{
    private DateTimeZone $zone;

    /** @throws InvalidStep */
    public function __construct(private Type $to, private ?DatePattern $pattern, string $zone)
    {
        try {
            $this->zone = new DateTimeZone($zone);
        } catch (Exception) {
            throw InvalidStep::because("\"{$zone}\" is not a time zone; write one such as Europe/London or UTC.");
        }
    }

    public function of(string $value): ?string
    {
        $value = trim($value);
        if ($value === '' || (trim($value, '0.-/: ') === '' && str_contains($value, '0'))) {
            return null;
        }
        $at = $this->pattern === null ? $this->iso($value) : $this->patterned($value, $this->pattern);

        return match ($this->to->kind) {
            TypeKind::Date => $at->setTimezone($this->zone)->format('Y-m-d'),
            TypeKind::Timestamp => $at->setTimezone($this->zone)->format('Y-m-d H:i:s').self::fraction($at),
            default => $at->setTimezone(new DateTimeZone('UTC'))->format('Y-m-d H:i:s').self::fraction($at).'+00',
        };
    }

    private function iso(string $value): DateTimeImmutable
    {
        $hasZone = preg_match('/(?:Z|[+-]\d\d(?::?\d\d)?)$/', $value) === 1 && str_contains($value, ':');
        $at = Moment::at($value);

        return $hasZone ? $at : self::local($this->zone, (int) $at->format('Y'), (int) $at->format('n'), (int) $at->format('j'), (int) $at->format('G'), (int) $at->format('i'), (int) $at->format('s'), (int) $at->format('u'));
    }

    private function patterned(string $value, DatePattern $pattern): DateTimeImmutable
    {
        if (! preg_match($pattern->regex, $value, $p)) {
            throw Fault::because('not_a_date', "the value is not written as {$pattern->text}");
        }
        $year = isset($p['y']) ? (int) $p['y'] : (isset($p['yy']) ? (int) $p['yy'] + ((int) $p['yy'] < 70 ? 2000 : 1900) : 1970);
        [$month, $day] = [(int) ($p['m'] ?? 1), (int) ($p['d'] ?? 1)];
        [$hour, $minute, $second] = [(int) ($p['h'] ?? 0), (int) ($p['i'] ?? 0), (int) ($p['s'] ?? 0)];
        if (! checkdate($month, $day, max(1, $year)) || $hour > 23 || $minute > 59 || $second > 59) {
            throw Fault::because('not_a_date', 'there is no such day or time');
        }
        $zone = isset($p['z']) ? new DateTimeZone($p['z'] === 'Z' ? 'UTC' : $p['z']) : $this->zone;

        return self::local($zone, $year, $month, $day, $hour, $minute, $second, (int) str_pad($p['f'] ?? '', 6, '0'));
    }

    /**
     * What a clock on the wall shows. A time that it shows twice is the later one, and one that it skips is told as if it had not been put
     * forward, as PostgreSQL has it.
     */
    private static function local(DateTimeZone $zone, int $year, int $month, int $day, int $hour, int $minute, int $second, int $micros): DateTimeImmutable
    {
        // Which of two it is depends on where the day is entered: at noon clocks have been put back already, whatever time it is now.
        return (new DateTimeImmutable('2000-01-01 12:00', $zone))->setDate($year, $month, $day)->setTime($hour, $minute, $second, $micros);
    }

    private static function fraction(DateTimeImmutable $at): string
    {
        return rtrim($at->format('.u'), '.0') === '' ? '' : rtrim($at->format('.u'), '0');
    }
}
