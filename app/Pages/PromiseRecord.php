<?php

declare(strict_types=1);

namespace App\Pages;

use Illuminate\Support\Facades\DB;
use Lighterman\Core\Latency\PromiseKept;

/** How well a feed has kept its promise, counted in minutes. */
final readonly class PromiseRecord
{
    private function __construct(public PromiseKept $day, public PromiseKept $week)
    {
    }

    public static function of(int $feedId): self
    {
        $row = DB::table('behind_minutes')->where('feed_id', $feedId)->where('minute', '>=', now()->subWeek())
            ->selectRaw("count(*) AS week, count(*) FILTER (WHERE kept) AS week_kept, count(*) FILTER (WHERE minute >= now() - interval '1 day') AS day, count(*) FILTER (WHERE kept AND minute >= now() - interval '1 day') AS day_kept")->first();

        return new self(PromiseKept::counted((int) $row?->day, (int) $row?->day_kept), PromiseKept::counted((int) $row?->week, (int) $row?->week_kept));
    }
}
