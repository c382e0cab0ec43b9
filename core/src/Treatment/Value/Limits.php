<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Value;

/** What no record and no expression may exceed, so that one of them cannot take a worker down. */
final class Limits
{
    /** Bytes of a value that an expression makes. */
    public const TEXT = 1_048_576;

    /** Characters of an expression, and levels of nesting within it. */
    public const EXPRESSION = 4000;

    public const DEPTH = 64;

    /** Levels of a nested value. */
    public const NESTING = 256;

    /** Steps a pattern may take on one value; a pattern that needs more gives up. */
    public const PATTERN_STEPS = 100_000;
}
