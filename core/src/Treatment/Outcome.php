<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment;

/** What becomes of a record that fails. */
enum Outcome: string
{
    case SetAside = 'set_aside';
    case Drop = 'drop';
    case Warn = 'warn';
    case Stop = 'stop';

    public function words(): string
    {
        return match ($this) {
            self::SetAside => 'set aside', self::Drop => 'dropped', self::Warn => 'warn', self::Stop => 'stop the feed',
        };
    }

    /** Of several, the one that decides about a record. */
    public static function gravest(self ...$outcomes): ?self
    {
        foreach ([self::Stop, self::SetAside, self::Drop, self::Warn] as $outcome) {
            if (in_array($outcome, $outcomes, true)) {
                return $outcome;
            }
        }

        return null;
    }
}
