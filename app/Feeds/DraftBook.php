<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\Definition;
use App\Models\Feed;
use App\Models\TreatmentDraft;
use App\Runtime\Common\Systems;
use App\Support\Audit;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Port\Preparation;
use Lighterman\Core\Treatment\InvalidTreatment;
use Lighterman\Core\Treatment\Treatment;
use Lighterman\Core\Trouble\InvalidDefinition;
use Lighterman\Core\Trouble\SystemTrouble;

/** What is being changed about the treatment of a feed, until it is saved as a version. */
final class DraftBook
{
    public static function of(Feed $feed): ?TreatmentDraft
    {
        return TreatmentDraft::find($feed->id);
    }

    /** The treatment as it is being changed, or as it stands. */
    public static function treatment(Feed $feed): Treatment
    {
        return Treatment::fromArray(self::of($feed)->body ?? $feed->definition->body['treatment'] ?? []);
    }

    public static function keep(Feed $feed, Treatment $treatment): void
    {
        if ($treatment->toArray() == ($feed->definition->body['treatment'] ?? [])) {
            self::discard($feed);

            return;
        }
        TreatmentDraft::updateOrCreate(['feed_id' => $feed->id], ['body' => $treatment->toArray(), 'person' => Audit::person()]);
    }

    public static function discard(Feed $feed): void
    {
        TreatmentDraft::whereKey($feed->id)->delete();
    }

    /**
     * The definition that saving would make.
     *
     * @throws InvalidDefinition
     */
    public static function definition(Feed $feed, Treatment $treatment): FeedDefinition
    {
        return FeedDefinition::fromArray(['treatment' => $treatment->toArray()] + $feed->definition->body);
    }

    /**
     * What has to be done to the landed table first.
     *
     * @throws SystemTrouble
     */
    public static function preparation(Feed $feed, FeedDefinition $wanted, Systems $systems): Preparation
    {
        return $systems->target($feed->route->target)->prepareChange($wanted->landedTable(), ColumnSheet::renamed($feed->definition->parsed(), $wanted));
    }

    /**
     * Alters the landed table where it has to be, and makes the definition the feed's next version.
     *
     * @throws InvalidDefinition|InvalidTreatment|SystemTrouble
     */
    public static function save(Feed $feed, FeedDefinition $wanted, Systems $systems): void
    {
        $preparation = self::preparation($feed, $wanted, $systems);
        $preparation->demandClear(null, $wanted->destination->table, "Land the feed in another table, or run on {$feed->route->target->name}: ");
        if ($preparation->exists && $preparation->statements !== []) {
            $systems->target($feed->route->target)->alter($preparation->statements);
            Audit::record('altered the landed table of', 'feed', $feed->name, null, ['statements' => $preparation->statements]);
        }
        $before = $feed->definition->parsed();
        DB::transaction(static function () use ($feed, $wanted, $before): void {
            FeedBook::change($feed, $wanted);
            $hidden = Hiding::added($before, $wanted);
            $hidden === [] || Hiding::apply($feed, $wanted, $hidden);
            self::discard($feed);
        });
    }

    /** Goes back to what an earlier version said; it becomes the newest. */
    public static function goBack(Feed $feed, Definition $to, Systems $systems): void
    {
        self::save($feed, $to->parsed(), $systems);
    }
}
