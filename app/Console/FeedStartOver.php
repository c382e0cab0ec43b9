<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\FeedBook;

final class FeedStartOver extends FeedCommand
{
    protected $signature = "feed:start-over {name} {--confirm= : the feed's name once more} {--json}";

    protected $description = 'Stops a feed, removes what it landed, and leaves it paused';

    public function handle(): int
    {
        $feed = $this->feed();
        if ($this->option('confirm') !== $feed->name) {
            return $this->refuse("Give --confirm={$feed->name}: what it landed is removed.");
        }
        FeedBook::startOver($feed);
        $this->asJson() ? $this->json(['feed' => $feed->name]) : $this->line("What {$feed->name} landed is being removed. Resume it to load it anew.");

        return self::SUCCESS;
    }
}
