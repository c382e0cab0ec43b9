<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Landing\LandedTable;

/** The feed that a landed table belongs to, which may be one of another Lighterman: two that land in one table undo each other's work. */
final readonly class Owner
{
    /**
     * @param  string|null  $feed  lasting id; null for one that is gone
     * @param  string|null  $since  when it took the table or landed in it last, ISO 8601 or as the target writes times; null where nobody noted it
     */
    public function __construct(public ?string $feed, public ?string $since)
    {
    }

    /**
     * What another feed is told that is to land there as well.
     *
     * @param  bool  $begun  whether that one has landed there before
     */
    public function finding(LandedTable $landed, bool $begun): Finding
    {
        $whose = 'another feed'.($this->feed === null ? ', which is gone' : ' ('.substr($this->feed, 0, 8).($this->since === null ? '' : ", {$this->since}").')');
        if ($begun) {
            return Finding::failed('Rows', "{$landed->name} was taken over by {$whose}.", 'Remove this feed. To have the table back, make it again, and allow it to take the table over.');
        }

        return $landed->as->takeOver
            ? Finding::passed('Rows', "{$landed->name} belongs to {$whose}. It is taken over: that one stops, and the rows stay.")
            : Finding::failed('Rows', "{$landed->name} belongs to {$whose}, or to one that was removed. Two that land in one table undo each other's work.", 'Choose another landed table, or allow the feed to take it over; the other one stops then.');
    }
}
