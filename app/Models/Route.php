<?php

declare(strict_types=1);

namespace App\Models;

use Illuminate\Database\Eloquent\Collection;
use Illuminate\Database\Eloquent\Relations\BelongsTo;
use Illuminate\Database\Eloquent\Relations\HasMany;
use Illuminate\Support\Carbon;

/**
 * A named set of feeds between the same source and target.
 *
 * @property int $id
 * @property string $name
 * @property int $source_id
 * @property int $target_id
 * @property Carbon|null $created_at
 * @property Carbon|null $updated_at
 * @property-read System $source
 * @property-read System $target
 * @property-read Collection<int, RouteLog> $logs
 * @property-read Collection<int, Feed> $feeds
 */
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
