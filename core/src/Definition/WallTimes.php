<?php

declare(strict_types=1);

namespace Lighterman\Core\Definition;

use Cron\CronExpression;
use DateTimeImmutable;
use DateTimeZone;
use LogicException;

/** The moments at which a clock on the wall of a zone shows what a cron expression names, whatever that zone does to its clocks. */
final readonly class WallTimes
{
    /** Seconds by which clocks are put forward or back at most, with room to spare. */
    private const SHIFT = 3 * 3600;

    private CronExpression $cron;

    private DateTimeZone $zone;

    private DateTimeZone $utc;

    public function __construct(string $expression, string $zone)
    {
        $this->cron = new CronExpression($expression);
        $this->zone = new DateTimeZone($zone);
        $this->utc = new DateTimeZone('UTC');
    }

    /** @return list<DateTimeImmutable> the next moments, in UTC */
    public function after(DateTimeImmutable $after, int $count): array
    {
        $from = $after->getTimestamp();
        // What the wall showed already it may show once more.
        $wall = $from + $this->zone->getOffset($after) - ($this->shifts($from) ? self::SHIFT : 0);
        $found = [];
        do {
            $wall = $this->cron->getNextRunDate(new DateTimeImmutable("@{$wall}"), timeZone: 'UTC')->getTimestamp();
            foreach ($this->moments($wall) as $moment) {
                if ($moment > $from) {
                    $found[$moment] = $moment;
                }
            }
            ksort($found);
            $last = array_values($found)[$count - 1] ?? null;
        } while ($last === null || ($this->shifts($last) && $wall - $this->offset($last) <= $last + self::SHIFT));

        return array_map(fn (int $at): DateTimeImmutable => (new DateTimeImmutable("@{$at}"))->setTimezone($this->utc), array_slice(array_values($found), 0, $count));
    }

    /**
     * When the wall shows a time.
     *
     * @param  int  $wall  as seconds since 1970 if it were UTC
     * @return non-empty-list<int> seconds since 1970
     */
    private function moments(int $wall): array
    {
        $offsets = array_unique([$this->offset($wall - $this->offset($wall) - self::SHIFT), $this->offset($wall - $this->offset($wall) + self::SHIFT)]);
        $moments = array_values(array_filter(array_map(static fn (int $o): int => $wall - $o, $offsets), fn (int $at): bool => $at + $this->offset($at) === $wall));
        if ($moments === []) {
            // The clock skips it: the moment at which it is put forward.
            return [$this->change($wall - max($offsets), $wall - min($offsets))];
        }
        sort($moments);

        return count($moments) === 1 || $this->cron->getExpression(CronExpression::HOUR) === '*' ? $moments : [$moments[0]];
    }

    private function change(int $between, int $and): int
    {
        $transitions = $this->zone->getTransitions($between - self::SHIFT, $and + self::SHIFT);

        return $transitions[count($transitions) - 1]['ts'] ?? throw new LogicException('A clock skips a time only where it is put forward.');
    }

    private function offset(int $at): int
    {
        return $this->zone->getOffset(new DateTimeImmutable("@{$at}"));
    }

    /** Whether the zone changes its clocks about that time. */
    private function shifts(int $at): bool
    {
        return count($this->zone->getTransitions($at - 2 * self::SHIFT, $at + 2 * self::SHIFT)) > 1;
    }
}
