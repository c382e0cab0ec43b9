<?php

declare(strict_types=1);

namespace App\Console;

use App\Runtime\Common\Systems;
use App\Runtime\Work\Companion;
use App\Runtime\Worker;
use App\Support\Way;

final class FeedRun extends FeedCommand
{
    protected $signature = 'feed:run {name} {--json}';

    protected $description = 'Carries one feed now, in this process, until nothing is left';

    public function handle(Systems $systems): int
    {
        $feed = $this->feed();
        if ($feed->state() === 'paused') {
            return $this->refuse("Feed {$feed->name} is paused. Resume it first: bin/lighterman feed:resume \"{$feed->name}\".");
        }
        $feed->update(['why' => 'asked']);
        $before = (int) $feed->runs()->max('id');
        $worker = new Worker($systems);
        $companion = new Companion;
        do {
            $loading = $feed->stands()->isLoading();
            if (! $worker->once($feed->id)) {
                return $this->refuse("Another worker is carrying {$feed->name} at this moment. Try again shortly.");
            }
            $feed->refresh();
        } while ($loading && $feed->standing === 'carried' && ! $feed->stands()->isLoading());

        $counts = [];
        foreach (['read', 'inserted', 'updated', 'unchanged', 'deleted'] as $count) {
            $counts[$count] = (int) $feed->runs()->where('id', '>', $before)->sum($count);
        }
        $result = ['feed' => $feed->name, 'state' => $feed->state()] + $counts + ['trouble' => $feed->trouble];
        if ($this->asJson()) {
            $this->json($result);
        } elseif ($feed->trouble !== null) {
            $this->error($feed->trouble->message);
            $this->line(Way::said($feed->trouble->remedy, $feed));
        } else {
            $this->line("{$feed->name}: {$feed->state()}. Read {$result['read']}, inserted {$result['inserted']}, updated {$result['updated']}, unchanged {$result['unchanged']}.");
        }

        return $feed->trouble === null ? self::SUCCESS : self::FAILURE;
    }
}
