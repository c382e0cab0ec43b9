<?php

declare(strict_types=1);

namespace Lighterman\Core\Treatment\Step\Convert;

use Lighterman\Core\Treatment\Value\Real;
use Lighterman\Core\Treatment\Value\Worker;

/** An inexact number out of text; blank text is null. */
final readonly class ToReal implements Worker
{
    public function __construct(private string $decimal, private string $thousands)
    {
    }

    public function of(string $value): ?string
    {
        $plain = ToNumber::plain($value, $this->decimal, $this->thousands);

        return $plain === '' ? null : Real::text(Real::of($plain));
    }
}
