<?php

declare(strict_types=1);

namespace App\Models;

use Illuminate\Database\Eloquent\Relations\BelongsTo;

/**
 * The reading of a source's change log for the log feeds of one route. `standing` is new, reading, spooling (the target
 * cannot be reached, or is further behind than the log may be kept), waiting (to try again) or failed.
 */
final class RouteLog extends Record
{
    protected $casts = ['trouble' => 'array', 'anew_asked' => 'boolean', 'complete_up_to' => 'immutable_datetime', 'due_at' => 'immutable_datetime', 'expires_at' => 'immutable_datetime'];

    /** @return BelongsTo<Route, $this> */
    public function route(): BelongsTo
    {
        return $this->belongsTo(Route::class);
    }
}
