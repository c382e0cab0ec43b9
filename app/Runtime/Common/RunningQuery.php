<?php

declare(strict_types=1);

namespace App\Runtime\Common;

use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\SteadyClock;

/** A query of a person while it runs, which the same person may stop from another request. */
final class RunningQuery
{
    /** Seconds between two looks whether it is to stop. */
    private const EVERY = 0.25;

    private float $looked = 0.0;

    private bool $stopped = false;

    private function __construct(private readonly string $id)
    {
    }

    /**
     * @template T
     *
     * @param  callable(self): T  $do
     * @return T
     */
    public static function of(string $id, int $person, callable $do): mixed
    {
        // What a web server that died has left behind tells nothing any more.
        DB::table('running_queries')->where('started_at', '<', now()->subHours(2))->delete();
        DB::table('running_queries')->insertOrIgnore(['id' => $id, 'person_id' => $person, 'started_at' => now()]);
        try {
            return $do(new self($id));
        } finally {
            DB::table('running_queries')->where('id', $id)->delete();
        }
    }

    public static function stop(string $id, int $person): bool
    {
        return DB::table('running_queries')->where('id', $id)->where('person_id', $person)->update(['stop_asked' => true]) > 0;
    }

    /** Whether it is to stop; may be asked as often as one likes. */
    public function isStopped(): bool
    {
        if (! $this->stopped && SteadyClock::seconds() - $this->looked > self::EVERY) {
            $this->looked = SteadyClock::seconds();
            $this->stopped = (bool) DB::table('running_queries')->where('id', $this->id)->value('stop_asked');
        }

        return $this->stopped;
    }
}
