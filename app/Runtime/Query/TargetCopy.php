<?php

declare(strict_types=1);

namespace App\Runtime\Query;

use App\Models\Feed;
use App\Runtime\Common\Receipts;
use App\Runtime\Common\Systems;
use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Carrying\RowDelivery;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Record\Receipt;

/** What stands in the target of what a feed has landed, which is the truth, against what is known of it here. */
final class TargetCopy
{
    /** @var array<int, float> when a feed's copy was last looked at, by the steady clock */
    private array $looked = [];

    /** Receipts after which old ones are looked for. */
    private const TIDY_EVERY = 200;

    /** @var array<int, int> by feed: how often that many have landed */
    private array $tidied = [];

    public function __construct(private readonly Systems $systems)
    {
    }

    /** Where nothing lands, nobody would learn that the copy is gone, or is not what it was. */
    public function isOlder(Feed $feed, FeedDefinition $definition): bool
    {
        if ($feed->sequence === 0 || SteadyClock::seconds() - ($this->looked[$feed->id] ?? 0.0) < (int) config('lighterman.gap_seconds')) {
            return false;
        }
        $this->looked[$feed->id] = SteadyClock::seconds();

        return $this->systems->target($feed->route->target)->demandKept($definition->landedTable(), $feed->uid) < $feed->sequence;
    }

    /** Lets the target forget old receipts, now and then. */
    public function tidy(Feed $feed, RowDelivery $delivery): void
    {
        $part = intdiv($delivery->sequence(), self::TIDY_EVERY);
        if ($part > ($this->tidied[$feed->id] ??= $part)) {
            $this->tidied[$feed->id] = $part;
            $delivery->forgetReceipts((int) config('lighterman.keep.receipts_days'));
        }
    }

    /** Brings our copies up to what stands in the target. @return bool whether they lagged */
    public function catchUp(Feed $feed, RowDelivery $delivery): bool
    {
        if ($delivery->sequence() < $feed->sequence) {
            Receipts::takeBack($feed->id, $delivery->sequence());
            $feed->refresh();
        }
        $delivery->copied($feed->sequence);
        if ($delivery->position()->equals($feed->stands())) {
            return false;
        }
        $receipts = $delivery->receiptsAfter($feed->sequence);
        DB::transaction(static function () use ($feed, $receipts): void {
            Receipts::makeRoom($feed->id, $feed->sequence, $receipts);
            Receipts::copy(array_map(static fn (Receipt $r): array => [$feed->id, $r], $receipts));
        });
        $receipts === [] || $feed->standsAt($receipts[count($receipts) - 1]);
        $feed->update(['position' => $delivery->position()->toArray()]);
        $delivery->copied($feed->sequence);

        return true;
    }
}
