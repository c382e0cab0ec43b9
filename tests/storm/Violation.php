<?php

declare(strict_types=1);

namespace Tests\Storm;

use RuntimeException;

/** A feed said that it was on time, and its copy was not its source; or it came to no rest though its remedies were followed. */
final class Violation extends RuntimeException
{
}
