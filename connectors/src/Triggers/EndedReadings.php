<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Triggers;

use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Position\Place;
use Lighterman\Core\Position\ReadingPlace;

/** Readings that were read to their end, whose changes are forgotten at the source once they have landed. */
final class EndedReadings
{
    private const FORGET_SECONDS = 5.0;

    /** @var list<array{ReadingPlace, Reading}> with the places where they ended, in order */
    private array $ended = [];

    private float $forgotAt = 0.0;

    public function __construct(private readonly ChangeTable $table)
    {
    }

    public function add(ReadingPlace $end, Reading $reading): void
    {
        $this->ended[] = [$end, $reading];
    }

    /** Everything up to a place has landed. */
    public function confirm(Place $to): void
    {
        if (SteadyClock::seconds() - $this->forgotAt < self::FORGET_SECONDS) {
            return;
        }
        $this->forgotAt = SteadyClock::seconds();
        $last = null;
        while ($this->ended !== [] && $to->covers($this->ended[0][0])) {
            [, $last] = array_shift($this->ended);
        }
        if ($last !== null) {
            $this->table->forget($last);
        }
    }

    /** @return float seconds since the last forgetting, so that what was confirmed while that was too recent is forgotten all the same; 0 where nothing waits for it */
    public function silence(): float
    {
        return $this->ended === [] ? 0.0 : SteadyClock::seconds() - $this->forgotAt;
    }
}
