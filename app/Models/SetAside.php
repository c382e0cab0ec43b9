<?php

declare(strict_types=1);

namespace App\Models;

use Carbon\CarbonImmutable;
use Illuminate\Database\Eloquent\Builder;
use Illuminate\Database\Eloquent\Relations\BelongsTo;
use Illuminate\Support\Facades\Crypt;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Treatment\Apart;

/**
 * A record kept out of the target, with its reason.
 *
 * @property 'waiting'|'asked'|'sent'|'let go' $state
 * @property CarbonImmutable $at
 * @property int $id
 * @property int $feed_id
 * @property int $definition_id
 * @property int $run_id
 * @property int $sequence
 * @property string $position
 * @property int $number
 * @property string $kind
 * @property int|null $made_at
 * @property string $step
 * @property string $reason
 * @property string $message
 * @property string $key
 * @property string $key_hash
 * @property array<array-key, mixed> $record
 * @property string $sealed
 * @property array<array-key, mixed> $at_step
 * @property int|null $overtaken_by
 * @property int|null $sent_by
 * @property bool $edited
 * @property string|null $note
 * @property string|null $person
 * @property CarbonImmutable|null $settled_at
 * @property-read Feed $feed
 * @property-read Definition $definition
 */
final class SetAside extends Record
{
    /** A file set aside whole; its path stands where records have their position. */
    public const FILE = 'file';

    /** In SQL, records of a feed that are to be sent again. Files are read again instead. */
    public const ASKED = "feed_id = ? AND kind <> '".self::FILE."' AND state = 'asked' AND overtaken_by IS NULL";

    /** Under which the text of a line is kept beside the values of its columns, which all have names. */
    public const TEXT = '';

    public $timestamps = false;

    protected $table = 'set_aside';

    protected $casts = ['record' => 'array', 'at_step' => 'array', 'edited' => 'boolean', 'at' => 'immutable_datetime', 'settled_at' => 'immutable_datetime'];

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

    /**
     * Those whose batch has landed, so that they count.
     *
     * @param  Builder<SetAside>|null  $among
     * @return Builder<SetAside>
     */
    public static function landed(?Builder $among = null): Builder
    {
        return ($among ?? self::query())->whereRaw('sequence <= (SELECT f.sequence FROM feeds f WHERE f.id = set_aside.feed_id)');
    }

    /**
     * Those of one feed whose batch has landed.
     *
     * @return Builder<SetAside>
     */
    public static function of(Feed $feed): Builder
    {
        return self::query()->where('feed_id', $feed->id)->where('sequence', '<=', $feed->sequence);
    }

    /**
     * Those that somebody has to decide about.
     *
     * @param  Builder<SetAside>|null  $among
     * @return Builder<SetAside>
     */
    public static function waiting(?Builder $among = null): Builder
    {
        return self::landed($among)->where('state', 'waiting')->whereNull('overtaken_by');
    }

    /** @return array<string, string|false|null> the record as read, whole; false for what the source did not send */
    public function whole(): array
    {
        return json_decode(Crypt::decryptString($this->sealed), true, 64, JSON_THROW_ON_ERROR);
    }

    /**
     * What came of sending it again. Written before the target commits; AsideBook::begin() takes it back if it never does.
     *
     * @param  Apart|null  $apart  why it failed again
     * @param  int  $sequence  of the receipt it belongs to
     */
    public function settle(bool $landed, ?Apart $apart, int $sequence): void
    {
        $failure = $apart?->judging->decisive();
        $this->update($failure !== null
            ? ['state' => 'waiting', 'step' => mb_substr(mb_scrub($failure->step), 0, 300), 'reason' => $failure->reason, 'message' => mb_scrub($failure->message), 'at_step' => $apart->judging->atFailure()]
            : ['state' => $landed ? 'sent' : 'let go', 'note' => $landed ? $this->note : 'dropped by a rule when it was sent again', 'sent_by' => $sequence, 'settled_at' => now()]);
    }

    /** It still cannot be landed, and waits on. */
    public function failAgain(string $reason, string $message): void
    {
        $this->update(['state' => 'waiting', 'reason' => $reason, 'message' => $message]);
    }

    /** @return 'waiting'|'asked'|'sent'|'let go'|'overtaken' */
    public function standing(): string
    {
        return self::standingOf($this->state, $this->overtaken_by);
    }

    /**
     * @param  'waiting'|'asked'|'sent'|'let go'  $state
     * @return 'waiting'|'asked'|'sent'|'let go'|'overtaken'
     */
    public static function standingOf(string $state, ?int $overtakenBy): string
    {
        return $overtakenBy !== null && in_array($state, ['waiting', 'asked'], true) ? 'overtaken' : $state;
    }

    /**
     * @param  list<int>  $feeds
     * @return array<int, int> records that somebody has to decide about, by feed
     */
    public static function waitingOf(array $feeds): array
    {
        return array_column(DB::select("SELECT s.feed_id, count(*) AS records FROM set_aside s JOIN feeds f ON f.id = s.feed_id WHERE s.feed_id = ANY (?) AND s.state = 'waiting' AND s.overtaken_by IS NULL AND s.sequence <= f.sequence GROUP BY 1", ['{'.implode(',', $feeds).'}']), 'records', 'feed_id');
    }

    /** How many feeds have records that somebody has to decide about. */
    public static function feedsWaiting(): int
    {
        return (int) DB::scalar("SELECT count(*) FROM feeds f WHERE EXISTS (SELECT 1 FROM set_aside s WHERE s.feed_id = f.id AND s.state = 'waiting' AND s.overtaken_by IS NULL AND s.sequence <= f.sequence)");
    }
}
