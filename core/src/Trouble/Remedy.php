<?php

declare(strict_types=1);

namespace Lighterman\Core\Trouble;

use Stringable;

/** What to do about trouble, in words, and the act of Lighterman's own that is part of it. */
final readonly class Remedy implements Stringable
{
    /** @param  string|null  $of  name of the system that the act is about; null where it is about the feed or route that is in trouble */
    public function __construct(public string $said, public ?Act $act = null, public ?string $of = null)
    {
    }

    public function __toString(): string
    {
        return $this->said;
    }
}
