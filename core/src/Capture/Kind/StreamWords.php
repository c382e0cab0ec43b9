<?php

declare(strict_types=1);

namespace Lighterman\Core\Capture\Kind;

/** What pages call the things that a route's changes are read by. */
final readonly class StreamWords
{
    /**
     * @param  string  $by  as in "By log"
     * @param  string  $reading  what is read, as in "the log needs"
     * @param  string  $heading  as in "Change log"
     * @param  string  $kept  what the source keeps, as in "so many bytes of log"
     * @param  string  $things  what stands at the source for it, as in "Drop the slot"
     * @param  string  $renewed  what beginning anew does with them, as in "Drops the slot, makes a new one"
     * @param  string  $made  as in "A new slot is being made"
     * @param  bool  $measured  whether it is known how many bytes are not yet read
     */
    public function __construct(
        public string $by,
        public string $reading,
        public string $heading,
        public string $kept,
        public string $things,
        public string $renewed,
        public string $made,
        public bool $measured,
    ) {
    }
}
