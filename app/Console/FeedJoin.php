<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\FeedBook;
use App\Models\Run;
use App\Runtime\Systems;
use App\Runtime\Worker;

final class FeedJoin extends FeedCommand
{
    protected $signature = 'feed:join {name} {--json}';

    protected $description = 'Joins the small files of what a feed has landed in a lake';

    public function handle(Systems $systems): int
    {
        $feed = $this->feed();
        if (FeedBook::joinFiles([$feed]) === 0) {
            return $this->refuse("Feed {$feed->name} lands in {$feed->route->target->name}, which keeps no files.");
        }
        // Who reads a log, or is carrying the feed, does it in between.
        $done = ! $feed->bringsChanges() && (new Worker($systems))->join($feed->id);
        $run = $done ? $feed->runs()->where('kind', Run::JOIN)->latest('id')->firstOrFail() : null;
        $said = $run === null ? 'It is asked for; whoever carries the feed does it next.' : (string) $run->lines()->value('said');
        $this->asJson() ? $this->json(['feed' => $feed->name, 'run' => $run?->id, 'state' => $run->state ?? 'asked', 'said' => $said, 'trouble' => $run?->trouble]) : $this->line("{$feed->name}: {$said}");

        return $run?->trouble === null ? self::SUCCESS : self::FAILURE;
    }
}
