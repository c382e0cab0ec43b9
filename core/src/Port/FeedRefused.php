<?php

declare(strict_types=1);

namespace Lighterman\Core\Port;

use Lighterman\Core\Trouble\SystemTrouble;
use RuntimeException;

/** The target refused what was to be landed for one feed of several. */
final class FeedRefused extends RuntimeException
{
    public function __construct(public readonly string $feed, public readonly SystemTrouble $trouble)
    {
        parent::__construct($trouble->getMessage());
    }
}
