<?php

declare(strict_types=1);

namespace App\Models;

use Illuminate\Database\Eloquent\Relations\BelongsTo;
use Illuminate\Support\Str;
use Lighterman\Connectors\Postgres\Log\PostgresLog;
use Lighterman\Core\Capture\Capture;

/**
 * The reading of changes for the feeds of one route that have the same capture, from the source's log or by triggers. `standing` is new, reading, spooling (the target
 * cannot be reached, or is further behind than the log may be kept), waiting (to try again) or failed.
 */
final class RouteLog extends Record
{
    protected $casts = ['trouble' => 'array', 'findings' => 'array', 'checked_at' => 'immutable_datetime', 'anew_asked' => 'boolean', 'complete_up_to' => 'immutable_datetime', 'due_at' => 'immutable_datetime', 'expires_at' => 'immutable_datetime'];

    /**
     * What the things at the source are called. A publication may be made beforehand by the owner of the tables, so its name
     * can be foretold; so can that of triggers, which are shown before they are made.
     *
     * @return array{uid: string, slot: string, publication: string}
     */
    public static function naming(System $source, System $target, Capture $capture): array
    {
        $uid = (string) Str::uuid();
        if ($capture === Capture::Trigger) {
            return ['uid' => $uid, 'slot' => PostgresLog::PREFIX.substr(hash_hmac('sha256', "{$source->id} {$target->id}", (string) config('app.key')), 0, 8), 'publication' => ''];
        }
        $name = substr(PostgresLog::PREFIX.preg_replace('/[^a-z0-9]+/', '_', strtolower("{$source->name}_{$target->name}")), 0, 54);

        return ['uid' => $uid, 'slot' => $name.'_'.substr($uid, 0, 8), 'publication' => $name];
    }

    /** @return BelongsTo<Route, $this> */
    public function route(): BelongsTo
    {
        return $this->belongsTo(Route::class);
    }
}
