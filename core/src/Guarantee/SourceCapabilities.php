<?php

declare(strict_types=1);

namespace Lighterman\Core\Guarantee;

use Lighterman\Core\Capture\Capture;

/** What a source can do that bears on what may be promised. */
final readonly class SourceCapabilities
{
    /**
     * @param  bool  $seesOpenTransactions  whether the start of every open transaction can be seen, so that windows can be held back behind it
     * @param  list<Capture>  $captures  that the source offers
     * @param  string|null  $triggersMiss  changes that fire no trigger here, as a sentence; null when every change does
     * @param  string|null  $grantToSeeOpen  what would let the account see open transactions; null when nothing does
     * @param  string|null  $spellings  what it may take for one key though it is spelt otherwise, as a sentence; null where a key is its bytes
     */
    public function __construct(public bool $seesOpenTransactions, public array $captures = [Capture::Reload, Capture::Watermark, Capture::Log, Capture::Trigger], public ?string $triggersMiss = null, public ?string $grantToSeeOpen = 'Grant pg_read_all_stats', public ?string $spellings = null)
    {
    }
}
