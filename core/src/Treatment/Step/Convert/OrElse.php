<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Convert;

use Lighterman\Core\Treatment\Value\Fault;
use Lighterman\Core\Treatment\Value\Worker;

/** Puts something else in the place of what cannot be converted. */
final readonly class OrElse implements Worker
{
    public function __construct(private Worker $worker, private ?string $else)
    {
    }

    public function of(string $value): ?string
    {
        try {
            return $this->worker->of($value);
        } catch (Fault) {
            return $this->else;
        }
    }
}
