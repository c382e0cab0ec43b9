<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use Lighterman\Core\Port\Explained;
use RuntimeException;

/** One feed of a route cannot go on with the others. What was under way is rolled back and read again without it. */
final class SetApart extends RuntimeException
{
    public function __construct(public readonly Carrier $carrier, public readonly Explained $trouble, public readonly string $standing)
    {
        parent::__construct($trouble->getMessage());
    }
}
