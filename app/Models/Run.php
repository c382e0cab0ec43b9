<?php

declare(strict_types=1);

namespace App\Models;

use Carbon\CarbonImmutable;
use Illuminate\Database\Eloquent\Relations\BelongsTo;
use Illuminate\Database\Eloquent\Relations\HasMany;

/**
 * One go of a worker at a feed. Consecutive runs that found nothing fold into one.
 *
 * @property int $id
 * @property int $feed_id
 * @property int $definition_id
 * @property string $kind
 * @property string $state
 * @property string $why
 * @property string $worker
 * @property string|null $window_from
 * @property string|null $window_to
 * @property int $read
 * @property int $inserted
 * @property int $updated
 * @property int $unchanged
 * @property int $deleted
 * @property int $dropped
 * @property int $set_aside
 * @property int $bytes
 * @property int $batches
 * @property float $reading_ms
 * @property float $treating_ms
 * @property float $landing_ms
 * @property int $empty_runs
 * @property KeptTrouble|null $trouble
 * @property CarbonImmutable $started_at
 * @property CarbonImmutable|null $ended_at
 * @property int $superseded
 * @property int $warned
 * @property-read Feed $feed
 * @property-read Definition $definition
 */
final class Run extends Record
{
    /** Kind of a run that joins files and carries nothing. */
    public const JOIN = 'join';

    public $timestamps = false;

    protected $casts = ['trouble' => KeptTrouble::class, 'started_at' => 'immutable_datetime', 'ended_at' => 'immutable_datetime'];

    /** @return BelongsTo<Feed, $this> */
    public function feed(): BelongsTo
    {
        return $this->belongsTo(Feed::class);
    }

    /** @return BelongsTo<Definition, $this> */
    public function definition(): BelongsTo
    {
        return $this->belongsTo(Definition::class);
    }

    /** @return HasMany<RunLine, $this> */
    public function lines(): HasMany
    {
        return $this->hasMany(RunLine::class);
    }

    public function seconds(): float
    {
        return max(0.0, (float) ($this->ended_at ?? now())->format('U.u') - (float) $this->started_at->format('U.u'));
    }

    /** Whether what was read are changes, of which deletes are some, and not rows that a query found. */
    public function bringsChanges(): bool
    {
        return in_array($this->kind, ['log', 'log load'], true);
    }

    public function delivered(): int
    {
        return $this->inserted + $this->updated + ($this->bringsChanges() ? $this->deleted : 0);
    }

    /** Whether every row read is accounted for. */
    public function addsUp(): bool
    {
        return $this->read === $this->delivered() + $this->unchanged + $this->superseded + $this->dropped + $this->set_aside;
    }
}
