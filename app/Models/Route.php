<?php

declare(strict_types=1);

namespace App\Models;

use Illuminate\Database\Eloquent\Relations\BelongsTo;
use Illuminate\Database\Eloquent\Relations\HasMany;

/** A named set of feeds between the same source and target. */
final class Route extends Record
{
    /** @return BelongsTo<System, $this> */
    public function source(): BelongsTo
    {
        return $this->belongsTo(System::class, 'source_id');
    }

    /** @return BelongsTo<System, $this> */
    public function target(): BelongsTo
    {
        return $this->belongsTo(System::class, 'target_id');
    }

    /** @return HasMany<RouteLog, $this> */
    public function logs(): HasMany
    {
        return $this->hasMany(RouteLog::class);
    }

    public function logBy(string $capture): ?RouteLog
    {
        return $this->loadMissing('logs')->logs->firstWhere('capture', $capture);
    }

    /** @return HasMany<Feed, $this> */
    public function feeds(): HasMany
    {
        return $this->hasMany(Feed::class);
    }
}
