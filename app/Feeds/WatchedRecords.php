<?php

declare(strict_types=1);

namespace App\Feeds;

use App\Models\Feed;
use Illuminate\Support\Facades\DB;

/** What a feed's watch rules have counted in the last day. */
final readonly class WatchedRecords
{
    /**
     * @param  list<float|null>  $rates  share of the records by hour, oldest first; null where none landed
     * @param  list<array{at: string, record: array<string, string|null>}>  $samples  the latest first
     */
    private function __construct(public int $landed, public int $matched, public array $rates, public array $samples)
    {
    }

    /** @return array<string, self> by name of the rule */
    public static function of(Feed $feed): array
    {
        $hours = [];
        foreach (DB::select("SELECT name, landed, matched, floor(extract(epoch FROM date_trunc('hour', now()) - hour) / 3600)::int AS ago FROM watched_hours WHERE feed_id = ? AND hour > now() - interval '24 hours'", [$feed->id]) as $h) {
            $hours[$h->name][$h->ago] = [(int) $h->landed, (int) $h->matched];
        }
        $samples = [];
        foreach (DB::table('watched_samples')->where('feed_id', $feed->id)->orderByDesc('id')->get() as $s) {
            $samples[$s->name][] = ['at' => $s->at, 'record' => json_decode($s->record, true)];
        }
        $told = [];
        foreach ($hours as $name => $of) {
            $rates = array_map(static fn (int $ago): ?float => isset($of[$ago]) && $of[$ago][0] > 0 ? $of[$ago][1] / $of[$ago][0] : null, range(23, 0));
            $told[$name] = new self(array_sum(array_column($of, 0)), array_sum(array_column($of, 1)), $rates, $samples[$name] ?? []);
        }

        return $told;
    }

    public function share(): float
    {
        return $this->landed === 0 ? 0.0 : $this->matched / $this->landed;
    }
}
