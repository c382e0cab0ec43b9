<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture;

use Lighterman\Core\Position\Position;

/** What one run will read: the whole table, the rest of a first load, or one window of increments. */
final readonly class ReadPlan
{
    /**
     * @param  'reload'|'load'|'increment'  $kind
     * @param  Position  $from  where reading begins
     * @param  Window|null  $window  null for a reload, and for a first load without a watermark
     * @param  string  $sourceTime  ISO 8601, UTC: completeness once everything planned has landed
     * @param  bool  $empty  known beforehand to bring no row
     */
    public function __construct(
        public string $kind,
        public Position $from,
        public ?Window $window,
        public string $sourceTime,
        public ?BoundNote $note = null,
        public bool $empty = false,
    ) {
    }

    /** The position once everything planned has landed. */
    public function end(): Position
    {
        return $this->window->end ?? Position::after($this->sourceTime);
    }
}
