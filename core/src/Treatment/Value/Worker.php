<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Value;

/** Does one step to one value in its text form. */
interface Worker
{
    /** @throws Fault */
    public function of(string $value): ?string;
}
