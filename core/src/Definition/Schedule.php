<?php

declare(strict_types=1);

namespace Lighterman\Core\Definition;

use Cron\CronExpression;
use DateInterval;
use DateTimeImmutable;
use DateTimeZone;
use Lighterman\Core\Trouble\InvalidDefinition;
use RuntimeException;

/** When a feed runs. Times of a cron expression are read in the schedule's zone. */
final readonly class Schedule
{
    /** Every day of the calendar comes within the year that begins here. */
    private const LEAP_YEAR = '2000-01-01 00:00:00';

    /**
     * @param  'manual'|'every'|'cron'|'continuous'  $kind
     * @param  int|null  $seconds  between starts (`every`) or between the end of one window and the next (`continuous`)
     */
    public function __construct(public string $kind = 'manual', public ?int $seconds = null, public ?string $expression = null, public string $zone = 'UTC')
    {
    }

    public static function manual(): self
    {
        return new self('manual');
    }

    /** @throws InvalidDefinition unless 1 to 10,080 minutes (a week) */
    public static function everyMinutes(int $minutes): self
    {
        if ($minutes < 1 || $minutes > 10080) {
            throw InvalidDefinition::at('schedule.every_minutes', "{$minutes} is not between 1 and 10 080 minutes (a week)", 'Give a number of minutes in that span.');
        }

        return new self('every', $minutes * 60);
    }

    /** @throws InvalidDefinition unless 1 to 3,600 seconds */
    public static function continuous(int $pauseSeconds): self
    {
        if ($pauseSeconds < 1 || $pauseSeconds > 3600) {
            throw InvalidDefinition::at('schedule.continuous_pause_seconds', "{$pauseSeconds} is not between 1 and 3 600 seconds", 'Give a pause in that span.');
        }

        return new self('continuous', $pauseSeconds);
    }

    /** @throws InvalidDefinition if the expression or the zone cannot be read */
    public static function cron(string $expression, string $zone = 'UTC'): self
    {
        if (! CronExpression::isValidExpression($expression)) {
            throw InvalidDefinition::at('schedule.cron', "\"{$expression}\" is not a cron expression", 'Give five fields: minute, hour, day of month, month, day of week; for example "*/10 6-20 * * 1-5".');
        }
        if (! in_array($zone, DateTimeZone::listIdentifiers(DateTimeZone::ALL_WITH_BC), true)) {
            throw InvalidDefinition::at('schedule.zone', "\"{$zone}\" is not a time zone", 'Give a name such as Europe/London or UTC.');
        }

        $cron = new CronExpression($expression);
        // Every day of the month comes in some month, and every month has some day; pages read schedules by the hundred.
        if ($cron->getExpression(CronExpression::DAY) !== '*' && $cron->getExpression(CronExpression::MONTH) !== '*') {
            self::demandComes($cron, $expression);
        }

        return new self('cron', expression: $expression, zone: $zone);
    }

    /** @throws InvalidDefinition if it names a date that never comes */
    private static function demandComes(CronExpression $cron, string $expression): void
    {
        try {
            $cron->getNextRunDate(self::LEAP_YEAR, timeZone: 'UTC');
        } catch (RuntimeException) {
            throw InvalidDefinition::at('schedule.cron', "\"{$expression}\" names a date that never comes", 'Name a day that its month has.');
        }
    }

    /** @return DateTimeImmutable|null in UTC; null when only a person starts it */
    public function next(DateTimeImmutable $started, DateTimeImmutable $ended): ?DateTimeImmutable
    {
        return match ($this->kind) {
            'manual' => null,
            'every' => max($started->add($this->pause()), $ended),
            'continuous' => $ended->add($this->pause()),
            'cron' => $this->upcoming($ended, 1)[0],
        };
    }

    private function pause(): DateInterval
    {
        return new DateInterval("PT{$this->seconds}S");
    }

    /**
     * The next times a cron expression names, in UTC. It names what a clock on the wall of its zone shows. A time that the clock
     * skips is run when it is put forward. Of a time that it shows twice, an expression for every hour runs both, any other the first.
     *
     * @return list<DateTimeImmutable>
     */
    public function upcoming(DateTimeImmutable $after, int $count): array
    {
        return $this->kind === 'cron' ? (new WallTimes((string) $this->expression, $this->zone))->after($after, $count) : [];
    }

    public function reading(): string
    {
        return match ($this->kind) {
            'manual' => 'only when told',
            'every' => 'every '.self::minutes(intdiv((int) $this->seconds, 60)),
            'continuous' => "continuous, {$this->seconds} s between windows",
            'cron' => CronReading::of((string) $this->expression).($this->zone === 'UTC' ? ' (UTC)' : " ({$this->zone})"),
        };
    }

    private static function minutes(int $minutes): string
    {
        return match (true) {
            $minutes === 1 => 'minute',
            $minutes === 60 => 'hour',
            $minutes % 1440 === 0 => $minutes === 1440 ? 'day' : ($minutes / 1440).' days',
            $minutes % 60 === 0 => ($minutes / 60).' h',
            default => "{$minutes} min",
        };
    }

    /** @return array<string, mixed> as written in definition files */
    public function toArray(): array
    {
        return match ($this->kind) {
            'manual' => ['manual' => true],
            'every' => ['every_minutes' => intdiv((int) $this->seconds, 60)],
            'continuous' => ['continuous_pause_seconds' => $this->seconds],
            'cron' => ['cron' => $this->expression, 'zone' => $this->zone],
        };
    }

    /**
     * @param  array<string, mixed>  $data
     *
     * @throws InvalidDefinition
     */
    public static function fromArray(array $data): self
    {
        return match (true) {
            isset($data['every_minutes']) => self::everyMinutes((int) $data['every_minutes']),
            isset($data['continuous_pause_seconds']) => self::continuous((int) $data['continuous_pause_seconds']),
            isset($data['cron']) => self::cron((string) $data['cron'], (string) ($data['zone'] ?? 'UTC')),
            default => self::manual(),
        };
    }
}
