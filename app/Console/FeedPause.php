<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\FeedBook;

final class FeedPause extends FeedCommand
{
    protected $signature = 'feed:pause {name} {--json}';

    protected $description = 'Pauses one feed';

    public function handle(): int
    {
        $feed = $this->feed();
        FeedBook::pause([$feed]);
        $state = $feed->refresh()->state();
        $this->asJson() ? $this->json(['feed' => $feed->name, 'state' => $state]) : $this->line("{$feed->name} is {$state}.");

        return self::SUCCESS;
    }
}
