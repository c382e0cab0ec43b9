<?php

declare(strict_types=1);

namespace Lighterman\Core\Guarantee;

/** What a target can do that bears on what may be promised. */
final readonly class TargetCapabilities
{
    /**
     * @param  bool  $transactional  whether rows and position can be committed together
     * @param  bool  $takesChanges  whether changes of a log or of triggers can land, and not only rows that a query found
     * @param  bool  $partitions  whether rows are kept in files, in folders by partition
     * @param  string|null  $outsiders  what may be seen by who reads the target's files past its catalogue; null where there are none
     * @param  bool  $noticesTampering  whether a landed table that somebody else dropped, replaced, emptied or altered is told from the one that was landed in
     */
    public function __construct(public bool $transactional, public bool $takesChanges = true, public bool $partitions = false, public ?string $outsiders = null, public bool $noticesTampering = false)
    {
    }
}
