<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use Lighterman\Core\Trouble\Explained;
use RuntimeException;

/** The target cannot be landed in for the time being. */
final class TargetAway extends RuntimeException
{
    public function __construct(public readonly Explained $trouble)
    {
        parent::__construct($trouble->getMessage());
    }
}
