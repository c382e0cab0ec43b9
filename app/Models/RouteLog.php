<?php

declare(strict_types=1);

namespace App\Models;

use Illuminate\Database\Eloquent\Relations\BelongsTo;
use Lighterman\Connectors\Postgres\Log\PostgresLog;

/**
 * The reading of a source's change log for the log feeds of one route. `standing` is new, reading, spooling (the target
 * cannot be reached, or is further behind than the log may be kept), waiting (to try again) or failed.
 */
final class RouteLog extends Record
{
    protected $casts = ['trouble' => 'array', 'findings' => 'array', 'checked_at' => 'immutable_datetime', 'anew_asked' => 'boolean', 'complete_up_to' => 'immutable_datetime', 'due_at' => 'immutable_datetime', 'expires_at' => 'immutable_datetime'];

    /** What the slot and the publication of a route between two systems are called: the tables' owner may make the publication beforehand. */
    public static function nameFor(System $source, System $target): string
    {
        return substr(PostgresLog::PREFIX.preg_replace('/[^a-z0-9]+/', '_', strtolower("{$source->name}_{$target->name}")), 0, 54);
    }

    /** @return BelongsTo<Route, $this> */
    public function route(): BelongsTo
    {
        return $this->belongsTo(Route::class);
    }
}
