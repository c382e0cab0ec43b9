<?php

declare(strict_types=1);

namespace App\Models;

use Carbon\CarbonImmutable;
use Illuminate\Database\Eloquent\Relations\BelongsTo;
use Illuminate\Support\Carbon;
use Lighterman\Core\Capture\Capture;

/**
 * The reading of changes for the feeds of one route that have the same capture, from the source's log or by triggers. `standing` is new, reading, spooling (the target
 * cannot be reached, or is further behind than the log may be kept), waiting (to try again) or failed.
 *
 * @property int $id
 * @property string $uid
 * @property int $route_id
 * @property array<string, string> $names  of what it is read by at the source, as the connector gave them
 * @property string $standing
 * @property KeptTrouble|null $trouble
 * @property array<array-key, mixed>|null $findings
 * @property CarbonImmutable|null $checked_at
 * @property bool $anew_asked
 * @property string|null $read_to  the text of a place; null before the first
 * @property CarbonImmutable|null $complete_up_to
 * @property int $retained_bytes
 * @property int $waiting_bytes
 * @property int $clock_ahead_us
 * @property int|null $clock_uncertain_us
 * @property int $warn_bytes
 * @property int $spool_bytes
 * @property int|null $drop_bytes
 * @property int $failures
 * @property CarbonImmutable|null $due_at
 * @property Carbon|null $created_at
 * @property Carbon|null $updated_at
 * @property string $capture
 * @property-read Route $route
 */
final class RouteLog extends Record
{
    protected $casts = ['trouble' => KeptTrouble::class, 'names' => 'array', 'findings' => 'array', 'checked_at' => 'immutable_datetime', 'anew_asked' => 'boolean', 'complete_up_to' => 'immutable_datetime', 'due_at' => 'immutable_datetime'];

    /** Seconds without anything new after which what is known of the source is no longer of now. */
    private const UNSEEN_SECONDS = 10;

    /** Seconds after which whoever reads would have said so again. */
    private const READ_SECONDS = 15;

    /** Whether somebody reads it now; what was read may wait to land together. */
    public function isRead(): bool
    {
        return in_array($this->standing, ['reading', 'spooling'], true) && $this->updated_at !== null && now()->diffInSeconds($this->updated_at, true) < self::READ_SECONDS;
    }

    /** @return CarbonImmutable|null up to when the source's changes are known, where that is a while ago */
    public function unseenSince(): ?CarbonImmutable
    {
        return $this->complete_up_to === null || now()->diffInSeconds($this->complete_up_to, true) < self::UNSEEN_SECONDS ? null : $this->complete_up_to;
    }

    /**
     * Whether what is read cannot be carried, so that none of its route's feeds goes on until somebody has put something right. It may
     * be tried again and again meanwhile.
     */
    public function hasFailed(): bool
    {
        return $this->standing === 'failed' || ($this->standing !== 'reading' && $this->trouble?->passing === false);
    }

    /** @return BelongsTo<Route, $this> */
    public function route(): BelongsTo
    {
        return $this->belongsTo(Route::class);
    }
}
