<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\FeedBook;
use App\Models\Run;
use App\Runtime\Common\Systems;
use App\Runtime\Work\Companion;
use App\Runtime\Worker;
use App\Support\Way;

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
        $companion = new Companion;
        $done = ! $feed->bringsChanges() && (new Worker($systems))->join($feed->id);
        $run = $done ? $feed->runs()->where('kind', Run::JOIN)->latest('id')->firstOrFail() : null;
        $said = $run === null ? 'It is asked for; whoever carries the feed does it next.' : (string) $run->lines()->oldest('id')->value('said');
        $state = $run->state ?? 'asked';
        if ($this->asJson()) {
            $this->json(['feed' => $feed->name, 'run' => $run?->id, 'state' => $state, 'said' => $said, 'trouble' => $run?->trouble]);
        } else {
            $this->line("{$feed->name}: {$said}");
            $run?->trouble === null || $this->line(Way::said($run->trouble->remedy, $feed));
        }

        return in_array($state, ['done', 'asked'], true) ? self::SUCCESS : self::FAILURE;
    }
}
