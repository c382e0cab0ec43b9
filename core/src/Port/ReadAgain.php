<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use RuntimeException;

/** What was landed since the last receipt has been rolled back; the same session takes it again, read from its position. */
final class ReadAgain extends RuntimeException
{
}
