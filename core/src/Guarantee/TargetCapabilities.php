<?php

declare(strict_types=1);

namespace Lighterman\Core\Guarantee;

/** What a target can do that bears on what may be promised. */
final readonly class TargetCapabilities
{
    /** @param  bool  $transactional whether rows and position can be committed together */
    public function __construct(public bool $transactional)
    {
    }
}
