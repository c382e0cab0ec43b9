<?php

declare(strict_types=1);

namespace App\Runtime\Query;

use App\Models\Feed;
use App\Models\KeptTrouble;
use App\Runtime\Common\Backoff;
use App\Runtime\Common\ShapeMoved;
use DateTimeImmutable;
use DateTimeInterface;
use Illuminate\Database\Query\Expression;
use Illuminate\Support\Facades\DB;
use Lighterman\Core\Capture\ReadPlan;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Trouble\Explained;

/** What a run that has come to its end leaves on its feed, and when the next one is due. */
final readonly class RunEnd
{
    public function __construct(private Feed $feed)
    {
    }

    /** @param  int  $asked  our clock when the run was planned, microseconds */
    public function completed(ReadPlan $plan, int $asked, FeedDefinition $definition, DateTimeImmutable $started): void
    {
        $loaded = $plan->kind === 'load' && ! $plan->empty;
        $this->loadedAgain();
        $this->feed->updateWith(
            ['standing' => 'carried', 'complete_up_to' => $plan->complete === null ? $this->feed->complete_up_to : SourceCommit::timeAt($plan->complete->ours($asked)), 'note' => $plan->note?->toArray(), 'progress' => null, 'trouble' => null, 'failures' => 0],
            $this->due($loaded ? now() : $definition->schedule->next($started, now()->toImmutable()), $loaded ? 'schedule' : null),
        );
    }

    /** What was to be loaded again when this run began has been; what was asked for since has not. */
    public function loadedAgain(): void
    {
        if ($this->feed->getRawOriginal('reload') !== null) {
            DB::update('UPDATE feeds SET reload = NULL WHERE id = ? AND reload = ?::jsonb', [$this->feed->id, $this->feed->getRawOriginal('reload')]);
        }
    }

    /** As due() has it, by itself. */
    public function dueNext(?DateTimeInterface $at, ?string $why): void
    {
        $this->feed->updateWith([], $this->due($at, $why));
    }

    /**
     * When the feed runs next, unless somebody has asked for a run or resumed it while this one was under way.
     *
     * @return array<string, Expression<non-falsy-string>>
     */
    private function due(?DateTimeInterface $at, ?string $why): array
    {
        $quoted = static fn (?string $value): string => $value === null ? 'NULL' : (string) DB::getPdo()->quote($value);
        $as = $quoted($this->feed->getRawOriginal('due_at')).'::timestamptz';
        $unless = static fn (string $column, string $value): Expression => new Expression("CASE WHEN due_at IS NOT DISTINCT FROM {$as} THEN {$value} ELSE {$column} END");

        return ['due_at' => $unless('due_at', $quoted($at?->format('Y-m-d H:i:s.uP')).'::timestamptz'), 'why' => $unless('why', $quoted($why))];
    }

    public function failed(Explained $trouble, ?RunRecorder $recorder): void
    {
        $held = $trouble instanceof ShapeMoved;
        $recorder?->fail($held ? 'held' : 'failed', $trouble);
        $failures = $this->feed->failures + 1;
        $retry = $trouble->mayPass() ? now()->addSeconds(Backoff::seconds($failures)) : null;
        $this->feed->updateWith(['standing' => $held ? 'held' : 'failed', 'trouble' => KeptTrouble::of($trouble), 'failures' => $failures], $this->due($retry, 'retry'));
    }
}
