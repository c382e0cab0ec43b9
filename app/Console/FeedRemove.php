<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\FeedBook;

final class FeedRemove extends FeedCommand
{
    protected $signature = "feed:remove {name} {--confirm= : the feed's name once more} {--json}";

    protected $description = 'Removes a feed; its landed table stays';

    public function handle(): int
    {
        $feed = $this->feed();
        if ($this->option('confirm') !== $feed->name) {
            return $this->refuse("Give --confirm={$feed->name} to remove it.");
        }
        FeedBook::remove($feed);
        $this->asJson() ? $this->json(['feed' => $feed->name]) : $this->line("{$feed->name} is removed. Its landed table {$feed->landed} stays.");

        return self::SUCCESS;
    }
}
