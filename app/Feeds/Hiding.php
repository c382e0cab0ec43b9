<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\Feed;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Treatment\Judging;

/** What is kept here of a feed's records, once a mask hides more of them than before. */
final class Hiding
{
    /** @return list<string> source columns that one definition hides and an earlier one did not */
    public static function added(FeedDefinition $before, FeedDefinition $after): array
    {
        return array_values(array_filter($after->carried()->names(), static fn (string $c): bool => $after->treatment->hides($c) && ! $before->treatment->hides($c)));
    }

    /**
     * Takes values that are hidden from now on out of what was kept in clear. Whole records stay, encrypted.
     *
     * @param  list<string>  $columns  of the source
     */
    public static function apply(Feed $feed, FeedDefinition $definition, array $columns): void
    {
        // Examples are landed records, in which a value may stand under any name.
        DB::table('watched_samples')->where('feed_id', $feed->id)->delete();
        $hidden = json_encode($columns, JSON_THROW_ON_ERROR);
        $inKey = array_intersect($definition->origin->key, $columns) !== [];
        DB::update("UPDATE set_aside s SET at_step = '{}', message = regexp_replace(message, '(:|: \\S+ is) \".*', ' (a mask hides the value)'), key = CASE WHEN ?::boolean THEN ? ELSE key END,
                record = (SELECT json_object_agg(e.key, CASE WHEN e.key IN (SELECT jsonb_array_elements_text(?::jsonb)) AND json_typeof(e.value) = 'string' THEN to_json(?::text) ELSE e.value END) FROM json_each(s.record) e)
            WHERE feed_id = ?", [$inKey ? 't' : 'f', implode(', ', array_map(static fn (string $k): string => "{$k} = ".Judging::HIDDEN, $definition->origin->key)), $hidden, Judging::HIDDEN, $feed->id]);
    }
}
