<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\FeedBook;

final class FeedResume extends FeedCommand
{
    protected $signature = 'feed:resume {name} {--json}';

    protected $description = 'Resumes one feed';

    public function handle(): int
    {
        $feed = $this->feed();
        FeedBook::resume([$feed]);
        $state = $feed->refresh()->state();
        $this->asJson() ? $this->json(['feed' => $feed->name, 'state' => $state]) : $this->line("{$feed->name} is {$state}.");

        return self::SUCCESS;
    }
}
