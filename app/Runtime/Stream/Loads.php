<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use App\Models\Feed;
use Illuminate\Support\Facades\DB;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\Slice;
use Lighterman\Core\Carrying\AskedLoad;
use Lighterman\Core\Carrying\Carrier;
use Lighterman\Core\Carrying\Gap;
use Lighterman\Core\Carrying\LoadProgress;
use Lighterman\Core\Carrying\Window;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Latency\ClockOffset;
use Lighterman\Core\Port\LandingSession;
use Lighterman\Core\Position\StreamPosition;
use Lighterman\Core\Record\Receipt;

/** Loads that go on beside the changes: the first one, those that mend what may have been missed, and rows that are read again by key. */
final readonly class Loads
{
    public function __construct(private RouteStream $stream)
    {
    }

    /** Has a feed load its table again because changes may have been missed. It is not on time before it has. */
    public function again(Carrier $carrier, string $why): void
    {
        if ($carrier->load->asked) {
            return;
        }
        $standing = $carrier->isKept() ? [] : ['standing' => 'loading'];
        Feed::findOrFail($carrier->feed->id)->update(['reload' => AskedLoad::mending()->toArray(), 'rereads' => null, 'gap' => (new Gap(now(), ucfirst($why)))->toArray(), ...$standing]);
        $carrier->load->demand();
        $carrier->rereads->forget();
        $this->stream->recorder->say($carrier, ucfirst($why).', so changes may have been missed. The table is loaded again beside its changes.', 'caution');
        $this->stream->roster->lookAgain();
    }

    /** Follows what somebody, or a gap, wants loaded again. */
    public function follow(Carrier $carrier, \stdClass $row, ?LandingSession $landing): void
    {
        $carrier->rereads->know(json_decode($row->rereads ?? '[]', true));
        $load = $carrier->load;
        // What was found out just now is not in the row yet, and comes before what somebody had asked for.
        $asked = $load->asked ? AskedLoad::mending() : ($row->reload === null ? null : AskedLoad::fromArray(json_decode($row->reload, true)));
        if ($asked === null) {
            return;
        }
        if ($carrier->position->isLoading() && $asked->begun) {
            $load->goesOn($asked->slice, $asked->mends);

            return;
        }
        if (! $carrier->position instanceof StreamPosition || $landing === null || ! $carrier->admitted) {
            return;
        }
        if ($asked->mends) {
            // It may have been found out while the feed was paused.
            $row->standing !== 'carried' || $carrier->isKept() || Feed::findOrFail($carrier->feed->id)->update(['standing' => 'loading']);
            $load->asked = true;
            if (! $load->mayBegin()) {
                return;
            }
        }
        if ($carrier->spools()) {
            // What waits to be landed is older than what the load will read, and must not pass for seen by it.
            return;
        }
        $this->begin($carrier, $carrier->position->place, $asked, $landing);
    }

    private function begin(Carrier $carrier, string $place, AskedLoad $asked, LandingSession $landing): void
    {
        $carrier->load->begin($asked->slice, $asked->mends);
        $carrier->window = null;
        $carrier->position = StreamPosition::loading($place, null);
        $landing->noteKeys($carrier->feed->uid, $carrier->load->slice->isWhole());
        Feed::findOrFail($carrier->feed->id)->update(['reload' => $asked->begun()->toArray(), 'progress' => self::noProgress(null)->toArray()]);
        $this->stream->recorder->say($carrier, "Loads {$carrier->load->slice} again, beside the changes.");
    }

    /** Of a load that has just begun. */
    public static function noProgress(?int $of): LoadProgress
    {
        return new LoadProgress(0, $of, SteadyClock::micros() / 1e6, 0);
    }

    /**
     * What of a carrier's table is read next.
     *
     * @return array{Slice, list<list<string>>|null} and the keys asked for, where it is keys
     */
    public function next(Carrier $carrier): array
    {
        // A journal that is still being started would be told of the rows twice.
        if (! $carrier->rereads->isEmpty() && ! $carrier->startsJournal()) {
            $keys = $carrier->rereads->next();

            return [Slice::keys($keys), $keys];
        }

        return [$carrier->load->slice->from($carrier->position->loadedTo()), null];
    }

    /** A chunk has landed. */
    public function landed(Carrier $carrier, Window $window, Receipt $receipt, ClockOffset $clock): void
    {
        if ($window->asked !== null) {
            $this->haveReread($carrier, $window->asked);

            return;
        }
        $feed = Feed::findOrFail($carrier->feed->id);
        $before = $feed->loading() ?? self::noProgress(null);
        if ($window->chunk->last && $carrier->load->asked) {
            // What has to be loaded again was found out meanwhile.
            $feed->update(['progress' => null]);
        } elseif (! $window->chunk->last) {
            $feed->update(['progress' => $before->plus(count($window->chunk->rows))->toArray()]);
        } else {
            $whole = $carrier->load->slice->isWhole();
            $carrier->load->ended();
            // Another that was asked for in this moment has yet to begin.
            DB::table('feeds')->where('id', $carrier->feed->id)->update(['progress' => null, 'standing' => 'carried', 'complete_up_to' => $receipt->sourceTime === null ? null : SourceCommit::timeAt($clock->ours(ClockOffset::micros($receipt->sourceTime))), 'reload' => DB::raw("CASE WHEN reload->>'begun' IS NULL THEN reload END")]);
            $this->stream->recorder->say($carrier, $whole ? 'The load is complete; from here on the feed follows the log.' : 'What was asked for is loaded; the feed goes on following the log.');
        }
    }

    /** @param  list<list<string>>  $keys */
    private function haveReread(Carrier $carrier, array $keys): void
    {
        $left = $carrier->rereads->done($keys);
        DB::update('UPDATE feeds SET rereads = ? WHERE id = ?', [$left === [] ? null : json_encode($left, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE), $carrier->feed->id]);
        $this->stream->recorder->say($carrier, (count($keys) === 1 ? 'One row was' : count($keys).' rows were').' read again by key.');
    }

    /** What has to be read again is written down before anything lands, so that a crash does not forget it. */
    public function writeDown(Carrier $carrier): void
    {
        $new = $carrier->rereads->takeNew();
        if ($carrier->rereads->exceed()) {
            $carrier->rereads->forget();
            $this->again($carrier, 'changes came whose rows can only be had by reading the table');
        } elseif ($new !== []) {
            DB::update("UPDATE feeds SET rereads = coalesce(rereads, '[]') || ?::jsonb WHERE id = ?", [json_encode($new, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE), $carrier->feed->id]);
            $this->stream->roster->lookAgain();
        }
    }
}
