<?php

declare(strict_types=1);

namespace Lighterman\Core\Carrying;

use Lighterman\Core\Trouble\Explained;
use RuntimeException;

/** One feed of a route cannot go on with the others. What was under way of it waits until it can. */
final class SetApart extends RuntimeException
{
    public function __construct(public readonly Carrier $carrier, public readonly Explained $trouble, public readonly string $standing)
    {
        parent::__construct($trouble->getMessage());
    }
}
