<?php

declare(strict_types=1);

namespace Lighterman\Core\Guarantee;

/** What a source can do that bears on what may be promised. */
final readonly class SourceCapabilities
{
    /** @param  bool  $seesOpenTransactions whether the start of every open transaction can be seen, so that windows can be held back behind it */
    public function __construct(public bool $seesOpenTransactions)
    {
    }
}
