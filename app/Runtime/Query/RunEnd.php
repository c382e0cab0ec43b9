<?php

declare(strict_types=1);

namespace App\Runtime\Query;

use App\Models\Feed;
use App\Models\KeptTrouble;
use App\Runtime\Common\Backoff;
use App\Runtime\Common\ShapeMoved;
use DateTimeImmutable;
use DateTimeInterface;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\ReadPlan;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Trouble\Explained;

/** What a run that has come to its end leaves on its feed, and when the next one is due. */
final readonly class RunEnd
{
    public function __construct(private Feed $feed)
    {
    }

    public function completed(ReadPlan $plan, FeedDefinition $definition, DateTimeImmutable $started): void
    {
        $loaded = $plan->kind === 'load' && ! $plan->empty;
        $this->loadedAgain();
        $this->feed->update(['standing' => 'carried', 'complete_up_to' => $plan->sourceTime, 'note' => $plan->note?->toArray(), 'progress' => null, 'trouble' => null, 'failures' => 0]);
        $this->dueNext($loaded ? now() : $definition->schedule->next($started, now()->toImmutable()), $loaded ? 'schedule' : null);
    }

    /** What was to be loaded again when this run began has been; what was asked for since has not. */
    public function loadedAgain(): void
    {
        DB::update('UPDATE feeds SET reload = NULL WHERE id = ? AND reload = ?::jsonb', [$this->feed->id, $this->feed->getRawOriginal('reload')]);
    }

    /** When the feed runs next, unless somebody has asked for a run or resumed it while this one was under way. */
    public function dueNext(?DateTimeInterface $at, ?string $why): void
    {
        DB::table('feeds')->where('id', $this->feed->id)->whereRaw('due_at IS NOT DISTINCT FROM ?::timestamptz', [$this->feed->getRawOriginal('due_at')])->update(['due_at' => $at?->format('Y-m-d H:i:s.uP'), 'why' => $why]);
    }

    public function failed(Explained $trouble, ?RunRecorder $recorder): void
    {
        $held = $trouble instanceof ShapeMoved;
        $recorder?->fail($held ? 'held' : 'failed', $trouble);
        $failures = $this->feed->failures + 1;
        $retry = $trouble->mayPass() ? now()->addSeconds(Backoff::seconds($failures)) : null;
        $this->feed->update(['standing' => $held ? 'held' : 'failed', 'trouble' => KeptTrouble::of($trouble), 'failures' => $failures]);
        $this->dueNext($retry, 'retry');
    }
}
