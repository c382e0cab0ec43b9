<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\FeedBook;

final class FeedEmptied extends FeedCommand
{
    protected $signature = 'feed:emptied {name} {what : carry or keep} {--json}';

    protected $description = 'Decides what becomes of the copy of a table that was emptied';

    public function handle(): int
    {
        $what = $this->argument('what');
        if (! in_array($what, ['carry', 'keep'], true)) {
            return $this->refuse('Say carry, to empty the copy too, or keep.');
        }
        $feed = $this->feed();
        FeedBook::decideEmptied($feed, $what);
        $this->asJson() ? $this->json(['feed' => $feed->name, 'emptied' => $what]) : $this->line($what === 'carry' ? "The copy of {$feed->name} is being emptied." : "The copy of {$feed->name} keeps its rows.");

        return self::SUCCESS;
    }
}
