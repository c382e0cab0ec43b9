<?php

declare(strict_types=1);

namespace App\Models;

use Carbon\CarbonImmutable;
use DateTimeImmutable;
use Illuminate\Database\Eloquent\Builder;
use Illuminate\Database\Eloquent\Relations\BelongsTo;
use Illuminate\Database\Eloquent\Relations\HasMany;
use Illuminate\Database\Query\Expression;
use Illuminate\Support\Carbon;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\Kind\CaptureKind;
use Lighterman\Core\Capture\Kind\Kinds;
use Lighterman\Core\Carrying\AskedLoad;
use Lighterman\Core\Carrying\FeedState;
use Lighterman\Core\Carrying\Gap;
use Lighterman\Core\Carrying\LoadProgress;
use Lighterman\Core\Carrying\Standing;
use Lighterman\Core\Latency\Behind;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Position\Positions;
use Lighterman\Core\Position\StartPosition;
use Lighterman\Core\Record\Receipt as Landed;
use Lighterman\Core\Shape\TableName;
use LogicException;

/**
 * One thing carried. `standing` is what the last run left behind (new, loading, carried, held, failed); the state shown
 * is derived from it, the pause and the promise.
 *
 * @property string $standing
 * @property CarbonImmutable|null $complete_up_to
 * @property int $id
 * @property string $uid
 * @property int $route_id
 * @property string $name
 * @property int|null $definition_id
 * @property string $landed
 * @property string $capture
 * @property CarbonImmutable|null $paused_at
 * @property bool $cancel_asked
 * @property int $promise_seconds
 * @property array<array-key, mixed>|null $position
 * @property int $sequence
 * @property array<array-key, mixed>|null $note
 * @property CarbonImmutable|null $due_at
 * @property string|null $why
 * @property array<array-key, mixed>|null $progress
 * @property KeptTrouble|null $trouble
 * @property int $failures
 * @property int|null $last_run_id
 * @property CarbonImmutable|null $last_landed_at
 * @property Carbon|null $created_at
 * @property Carbon|null $updated_at
 * @property array<array-key, mixed>|null $reload
 * @property string|null $emptied
 * @property int $waiting
 * @property array<array-key, mixed>|null $gap
 * @property bool $join_asked
 * @property array<array-key, mixed>|null $identity
 * @property array<array-key, mixed>|null $rereads
 * @property CarbonImmutable|null $books_from
 * @property-read Route $route
 * @property-read Definition $definition
 */
final class Feed extends Record
{
    /** SQL, over `feeds`: as RouteLog::hasFailed() has it of the log that the feed follows. */
    public const LOG_FAILED = "EXISTS (SELECT 1 FROM route_logs l WHERE l.route_id = feeds.route_id AND l.capture = feeds.capture AND (l.standing = 'failed' OR (l.standing <> 'reading' AND l.trouble->>'passing' = 'false')))";

    protected $casts = [
        'position' => 'array', 'note' => 'array', 'progress' => 'array', 'trouble' => KeptTrouble::class, 'reload' => 'array', 'gap' => 'array', 'identity' => 'array', 'rereads' => 'array', 'cancel_asked' => 'boolean', 'join_asked' => 'boolean',
        'paused_at' => 'immutable_datetime', 'complete_up_to' => 'immutable_datetime', 'due_at' => 'immutable_datetime',
        'last_landed_at' => 'immutable_datetime', 'books_from' => 'immutable_datetime',
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

    /** @return Builder<Feed> with route and definition for a list: the definition comes without its shape, which is most of it */
    public static function listed(): Builder
    {
        return self::with(['route.source', 'route.target', 'route.logs', 'definition' => static fn ($q) => $q->selectRaw("id, feed_id, version, body - 'shape' AS body")]);
    }

    public function kind(): CaptureKind
    {
        return Kinds::named($this->capture);
    }

    public function bringsChanges(): bool
    {
        return $this->kind()->bringsChanges();
    }

    public function landsInFiles(): bool
    {
        return $this->route->target->keepsFiles();
    }

    /** What is read for it together with other feeds of its route; null for captures by query. */
    public function log(): ?RouteLog
    {
        return $this->bringsChanges() ? $this->route->logBy($this->capture) : null;
    }

    /** A gap in the recording of changes that was found within a day. */
    public function recentGap(): ?Gap
    {
        $gap = $this->gap === null ? null : Gap::fromArray($this->gap);

        return $gap === null || now()->diffInHours($gap->at, true) >= 24 ? null : $gap;
    }

    /** The load that is wanted; null where none is. */
    public function asked(): ?AskedLoad
    {
        return $this->reload === null ? null : AskedLoad::fromArray($this->reload);
    }

    /** How far the load under way has come; null where none is. */
    public function loading(): ?LoadProgress
    {
        return $this->progress === null ? null : LoadProgress::fromArray($this->progress);
    }

    public function behind(): ?float
    {
        return Behind::seconds($this->complete_up_to, DateTimeImmutable::createFromInterface(now()));
    }

    /** @return 'new'|'loading'|'on time'|'late'|'paused'|'held'|'failed' */
    public function state(): string
    {
        // What has failed of the stream, LOG_FAILED says in SQL.
        return FeedState::of(Standing::from($this->standing), $this->paused_at !== null, $this->log()?->hasFailed() === true, $this->behind(), $this->promise_seconds)->value;
    }

    protected static function booted(): void
    {
        self::updating(static function (self $feed): void {
            [$was, $is] = [Standing::tryFrom((string) $feed->getOriginal('standing')) ?? Standing::Fresh, Standing::tryFrom((string) $feed->standing) ?? Standing::Fresh];
            if (! $was->may($is) && $feed->sequence !== 0) {
                throw new LogicException("Feed {$feed->name} is {$was->value} and cannot become {$is->value} as long as something of it has landed.");
            }
        });
    }

    /**
     * Changes attributes together with what the database works out from what stands there by now, in one statement. The latter are
     * not known here afterwards.
     *
     * @param  array<string, mixed>  $attributes
     * @param  array<string, Expression<non-falsy-string>>  $worked
     */
    public function updateWith(array $attributes, array $worked): void
    {
        $this->fill($attributes);
        $this->fireModelEvent('updating');
        self::query()->whereKey($this->id)->update($this->getDirty() + $worked);
        $this->syncOriginal();
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
                'last_landed_at' => null, 'trouble' => null, 'failures' => 0, 'reload' => null, 'rereads' => null, 'identity' => null, 'emptied' => null, 'waiting' => 0, 'gap' => null, 'books_from' => now(),
            ]);
        });
    }

    /** How many of its records somebody has to decide about; counted once for a page. */
    public function recordsWaiting(): int
    {
        return once(fn (): int => SetAside::of($this)->where('state', 'waiting')->whereNull('overtaken_by')->count());
    }

    public function stands(): Position
    {
        return $this->position === null ? new StartPosition : Positions::fromArray($this->position);
    }

    /** A receipt has been copied, which moved the row along: so does what is known of it here. */
    public function standsAt(Landed $receipt): void
    {
        $this->forceFill(['position' => $receipt->to->toArray(), 'sequence' => $receipt->sequence, 'last_landed_at' => $receipt->landedAt])->syncOriginalAttributes(['position', 'sequence', 'last_landed_at']);
    }

    /** @return list<TableName> every table that feeds have landed in a system */
    public static function landedIn(System $system): array
    {
        $names = [];
        foreach (self::with('definition')->where('sequence', '>', 0)->whereHas('route', static fn ($q) => $q->where('target_id', $system->id))->get() as $feed) {
            foreach ($feed->definition->parsed()->landedTable()->tables() as $table) {
                $names[] = $table->name;
            }
        }

        return $names;
    }
}
