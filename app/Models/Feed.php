<?php

declare(strict_types=1);

namespace App\Models;

use Carbon\CarbonImmutable;
use Illuminate\Database\Eloquent\Builder;
use Illuminate\Database\Eloquent\Relations\BelongsTo;
use Illuminate\Database\Eloquent\Relations\HasMany;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\Capture;
use Lighterman\Core\Latency\Behind;
use Lighterman\Core\Position\Position;

/**
 * One thing carried. `standing` is what the last run left behind (new, loading, carried, held, failed); the state shown
 * is derived from it, the pause and the promise.
 *
 * @property string $standing
 * @property CarbonImmutable|null $complete_up_to
 */
final class Feed extends Record
{
    /** SQL, over `feeds`: whether the feed follows a log that cannot be read, so that none of its route's feeds goes on. */
    public const LOG_FAILED = "EXISTS (SELECT 1 FROM route_logs l WHERE l.route_id = feeds.route_id AND l.capture = feeds.capture AND l.standing = 'failed')";

    protected $casts = [
        'position' => 'array', 'note' => 'array', 'progress' => 'array', 'trouble' => 'array', 'reload' => 'array', 'gap' => 'array', 'identity' => 'array', 'rereads' => 'array', 'cancel_asked' => 'boolean', 'join_asked' => 'boolean',
        'paused_at' => 'immutable_datetime', 'complete_up_to' => 'immutable_datetime', 'due_at' => 'immutable_datetime',
        'last_landed_at' => 'immutable_datetime',
    ];

    public function getRouteKeyName(): string
    {
        return 'name';
    }

    /** @return BelongsTo<Route, $this> */
    public function route(): BelongsTo
    {
        return $this->belongsTo(Route::class);
    }

    /** @return BelongsTo<Definition, $this> */
    public function definition(): BelongsTo
    {
        return $this->belongsTo(Definition::class);
    }

    /** @return HasMany<Definition, $this> */
    public function definitions(): HasMany
    {
        return $this->hasMany(Definition::class);
    }

    /** @return HasMany<Run, $this> */
    public function runs(): HasMany
    {
        return $this->hasMany(Run::class);
    }

    /** @return HasMany<Receipt, $this> */
    public function receipts(): HasMany
    {
        return $this->hasMany(Receipt::class);
    }

    /**
     * With route and definition for a list: the definition comes without its shape, which is most of it.
     *
     * @param  Builder<Feed>  $query
     */
    public function scopeListed(Builder $query): void
    {
        $query->with(['route.source', 'route.target', 'route.logs', 'definition' => static fn ($q) => $q->selectRaw("id, feed_id, version, body - 'shape' AS body")]);
    }

    public function bringsChanges(): bool
    {
        return Capture::from($this->capture)->bringsChanges();
    }

    public function landsInFiles(): bool
    {
        return $this->route->target->kind->keepsFiles();
    }

    /** What is read for it together with other feeds of its route; null for captures by query. */
    public function log(): ?RouteLog
    {
        return $this->bringsChanges() ? $this->route->logBy($this->capture) : null;
    }

    /** @return array{at: CarbonImmutable, why: string}|null a gap in the recording of changes that was found within a day */
    public function recentGap(): ?array
    {
        $at = CarbonImmutable::parse($this->gap['at'] ?? '1970-01-01');

        return $at->diffInHours(now(), true) < 24 ? ['at' => $at, 'why' => $this->gap['why']] : null;
    }

    public function behind(): ?float
    {
        return Behind::seconds($this->complete_up_to, now()->toImmutable());
    }

    /** @return 'new'|'loading'|'on time'|'late'|'paused'|'held'|'failed' */
    public function state(): string
    {
        $behind = $this->behind();

        return match (true) {
            $this->paused_at !== null => 'paused',
            // As LOG_FAILED says it in SQL.
            $this->log()?->standing === 'failed' => 'failed',
            in_array($this->standing, ['held', 'failed', 'loading'], true) => $this->standing,
            $behind === null => 'new',
            default => $behind > $this->promise_seconds ? 'late' : 'on time',
        };
    }

    /** Back to before the first row landed, once the target has forgotten the feed. */
    public function forgetLanded(): void
    {
        DB::transaction(function (): void {
            $this->receipts()->delete();
            DB::table('taken_files')->where('feed_id', $this->id)->delete();
            DB::table('spool')->where('feed_id', $this->id)->delete();
            $this->update([
                'cancel_asked' => false, 'standing' => 'new', 'position' => null, 'sequence' => 0, 'progress' => null, 'note' => null, 'complete_up_to' => null,
                'last_landed_at' => null, 'trouble' => null, 'failures' => 0, 'reload' => null, 'rereads' => null, 'identity' => null, 'emptied' => null, 'waiting' => 0, 'gap' => null,
            ]);
        });
    }

    public function stands(): Position
    {
        return $this->position === null ? Position::start() : Position::fromArray($this->position);
    }
}
