<?php

declare(strict_types=1);

namespace App\Runtime\Stream;

use App\Models\Feed;
use App\Models\KeptTrouble;
use App\Runtime\Common\Backoff;
use App\Runtime\Common\ShapeMoved;
use Lighterman\Core\Carrying\Carrier;
use Lighterman\Core\Carrying\SetApart;
use Lighterman\Core\Carrying\Stage;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Landing\Trial;
use Lighterman\Core\Port\FeedRefused;
use Lighterman\Core\Treatment\TreatmentStopped;
use Lighterman\Core\Trouble\Explained;
use Lighterman\Core\Trouble\KeyTrouble;
use Lighterman\Core\Trouble\SystemTrouble;
use LogicException;
use Throwable;

/** Whose trouble it is when something goes wrong while a route's changes are read, and what becomes of a feed with one of its own. */
final readonly class Refusals
{
    public function __construct(private RouteStream $stream)
    {
    }

    /** @return 'held'|'failed' a moved shape waits for a decision, anything else for a remedy */
    public static function standingFor(Explained $trouble): string
    {
        return $trouble instanceof ShapeMoved ? 'held' : 'failed';
    }

    /**
     * What a change of one feed breaks is that feed's trouble, not the route's; so is a lookup that does not answer.
     *
     * @template T
     *
     * @param  callable(): T  $do
     * @return T
     *
     * @throws SetApart
     */
    public function guarded(Carrier $carrier, callable $do): mixed
    {
        try {
            return $do();
        } catch (Throwable $e) {
            throw self::apart($carrier, $e);
        }
    }

    /** What came of a change of one feed, as that feed's trouble where it is; as it is otherwise. */
    public static function apart(Carrier $carrier, Throwable $e): Throwable
    {
        return match (true) {
            $e instanceof TreatmentStopped => new SetApart($carrier, $e->ofChange(), 'failed'),
            $e instanceof SystemTrouble => new SetApart($carrier, $e, 'failed'),
            $e instanceof LogicException => new SetApart($carrier, KeyTrouble::unsent($carrier->definition->origin->table, $e->getMessage()), 'failed'),
            default => $e,
        };
    }

    /**
     * @template T
     *
     * @param  callable(): T  $do
     * @return T
     *
     * @throws SetApart|TargetAway
     */
    public function atTarget(callable $do, ?Carrier $carrier = null): mixed
    {
        try {
            return $do();
        } catch (FeedRefused $refused) {
            throw new SetApart($this->stream->roster->named($refused->feed), $refused->trouble, 'failed');
        } catch (SystemTrouble $trouble) {
            throw $carrier !== null && ! $trouble->mayPass() ? new SetApart($carrier, $trouble, 'failed') : new TargetAway($trouble);
        }
    }

    /** A feed could not be taken in, or what its changes are recorded by could not be put right; it is tried again. */
    public function refuse(Carrier $carrier, Explained $trouble, string $standing): void
    {
        $this->stand($carrier, $trouble, $standing, ! KeptTrouble::of($trouble)->asks());
        // Once it has begun, its changes are kept until it can go on.
        if ($carrier->position->hasBegun()) {
            $carrier->isKept() || $carrier->goes(Stage::Kept);
            $this->stream->roster->put($carrier);
        }
    }

    /** A feed that went along cannot go on. Where the target refuses a record, it does so by asking about each. */
    public function setApart(SetApart $apart): void
    {
        $tries = $apart->trouble instanceof SystemTrouble && $apart->trouble->reason->concernsRecords() && $apart->carrier->treating->tries($this->trial());
        $this->stand($apart->carrier, $apart->trouble, $apart->standing, $apart->standing === 'failed' && ($tries || $apart->trouble->mayPass()));
    }

    /** What asks the target about records. */
    public function trial(): Trial
    {
        return new Trial(fn (LandedTable $table, string $lines): ?SystemTrouble => $this->stream->systems->target($this->stream->log->route->target)->refuses($table, $lines));
    }

    private function stand(Carrier $carrier, Explained $trouble, string $standing, bool $retried): void
    {
        $feed = Feed::find($carrier->feed->id);
        if ($feed === null) {
            return;
        }
        // The same again is no news.
        if ($feed->standing !== $standing || $feed->trouble?->message !== $trouble->getMessage()) {
            $this->stream->recorder->fail($carrier, $standing, $trouble);
        }
        $failures = $feed->failures + 1;
        $feed->update(['standing' => $standing, 'trouble' => KeptTrouble::of($trouble), 'failures' => $failures, 'due_at' => $retried ? now()->addSeconds(Backoff::seconds($failures)) : null]);
    }
}
