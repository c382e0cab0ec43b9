<?php

declare(strict_types=1);

namespace App\Runtime\Common;

use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Trouble\QueryTrouble;

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
     *
     * @throws QueryTrouble where too many are under way already: pages need places too
     */
    public static function of(string $id, int $person, callable $do): mixed
    {
        // What a web server that died has left behind tells nothing any more.
        DB::table('running_queries')->where('started_at', '<', now()->subSeconds((int) config('lighterman.query.most_seconds') + 120))->delete();
        self::begin($id, $person);
        try {
            return $do(new self($id));
        } finally {
            DB::table('running_queries')->where('id', $id)->delete();
        }
    }

    private static function begin(string $id, int $person): void
    {
        DB::transaction(static function () use ($id, $person): void {
            DB::statement('LOCK TABLE running_queries IN SHARE ROW EXCLUSIVE MODE');
            $own = (int) config('lighterman.query.at_once');
            $all = (int) config('lighterman.query.at_once_of_all');
            $of = DB::table('running_queries')->pluck('person_id');
            $under = $of->filter(static fn (int $p): bool => $p === $person)->count();
            if ($under >= $own) {
                throw QueryTrouble::tooManyAtOnce("{$under} queries of yours", $own);
            }
            if ($of->count() >= $all) {
                throw QueryTrouble::tooManyAtOnce("{$of->count()} queries", $all);
            }
            DB::table('running_queries')->insertOrIgnore(['id' => $id, 'person_id' => $person, 'started_at' => now()]);
        });
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
