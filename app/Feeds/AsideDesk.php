<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\Feed;
use App\Models\SetAside;
use App\Support\Audit;
use Illuminate\Database\Eloquent\Builder;
use Illuminate\Support\Facades\Crypt;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Treatment\Judging;

/** What people do with records that were set aside. */
final class AsideDesk
{
    /**
     * Has records sent again, in the order in which they were set aside, with the next batch.
     *
     * @param  Builder<SetAside>  $which
     */
    public static function send(Feed $feed, Builder $which): int
    {
        return DB::transaction(function () use ($feed, $which): int {
            $asked = SetAside::waiting($which)->update(['state' => 'asked', 'person' => Audit::person()]);
            if ($asked > 0) {
                Audit::record('asked to send again records of', 'feed', $feed->name, null, ['records' => $asked]);
                $feed->bringsChanges() ? FeedBook::wake($feed->route) : $feed->update(['due_at' => $feed->paused_at === null ? now() : null]);
            }

            return $asked;
        });
    }

    /** @param  Builder<SetAside>  $which */
    public static function letGo(Feed $feed, Builder $which, string $note): int
    {
        return DB::transaction(function () use ($feed, $which, $note): int {
            $gone = SetAside::waiting($which)->update(['state' => 'let go', 'note' => $note, 'person' => Audit::person(), 'settled_at' => now()]);
            if ($gone > 0) {
                Audit::record('let go records of', 'feed', $feed->name, null, ['records' => $gone, 'note' => $note]);
            }

            return $gone;
        });
    }

    /**
     * Changes values of a record; one that is shown hidden and left so keeps what it is.
     *
     * @param  array<string, string|null>  $values  by source column
     */
    public static function edit(SetAside $record, array $values): void
    {
        $whole = $record->whole();
        $shown = $record->record;
        $changed = [];
        foreach (array_intersect_key($values, $whole) as $column => $value) {
            if ($value !== ($shown[$column] ?? null) && $value !== Judging::HIDDEN && $value !== $whole[$column]) {
                $changed[] = $column;
                $whole[$column] = $value;
                $shown[$column] = ($shown[$column] ?? null) === Judging::HIDDEN ? Judging::HIDDEN : $value;
            }
        }
        if ($changed !== []) {
            DB::transaction(function () use ($record, $whole, $shown, $changed): void {
                $record->update(['sealed' => Crypt::encryptString(json_encode($whole, JSON_THROW_ON_ERROR)), 'record' => $shown, 'edited' => true, 'person' => Audit::person()]);
                Audit::record('edited a set-aside record of', 'feed', $record->feed->name, null, ['record' => $record->id, 'columns' => $changed]);
            });
        }
    }

    /** @param  Builder<SetAside>  $which */
    public static function editMany(Builder $which, string $column, ?string $value): int
    {
        $edited = 0;
        foreach (SetAside::waiting($which)->with('feed')->lazyById(200) as $record) {
            self::edit($record, [$column => $value]);
            $edited++;
        }

        return $edited;
    }

    /**
     * The waiting records of a feed by reason, with the hours in which they came.
     *
     * @return array<int, object{reason: string, step: string, records: int, latest: string, sample: string, hours: string}&\stdClass>
     */
    public static function groups(int $feedId): array
    {
        return DB::select("WITH hourly AS (SELECT reason, step, date_trunc('hour', at) AS h, count(*) AS c, min(at) AS earliest, max(at) AS latest, max(id) AS last FROM set_aside
                    WHERE feed_id = ? AND state = 'waiting' AND overtaken_by IS NULL AND sequence <= (SELECT sequence FROM feeds WHERE id = ?) GROUP BY 1, 2, 3),
                groups AS (SELECT reason, step, sum(c) AS records, max(latest) AS latest, min(earliest) AS earliest, max(last) AS last FROM hourly GROUP BY 1, 2 ORDER BY 3 DESC LIMIT 100)
            SELECT g.reason, g.step, g.records::bigint AS records, g.latest, g.earliest, (SELECT message FROM set_aside WHERE id = g.last) AS sample,
                (SELECT json_agg(coalesce(y.c, 0) ORDER BY s) FROM generate_series(date_trunc('hour', now()) - interval '23 hours', now(), interval '1 hour') s LEFT JOIN hourly y ON y.h = s AND y.reason = g.reason AND y.step = g.step) AS hours
            FROM groups g ORDER BY g.records DESC", [$feedId, $feedId]);
    }
}
