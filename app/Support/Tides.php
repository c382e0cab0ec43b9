<?php

declare(strict_types=1);

namespace App\Support;

/** How changes are counted by the time they were committed at the source and by the time they were delivered. */
final class Tides
{
    /** Steps in seconds: fine ones for the last hours, coarse ones for days. */
    public const STEPS = [5, 60];
}
