<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\FeedBook;
use App\Feeds\SliceInput;

final class FeedLoad extends FeedCommand
{
    protected $signature = 'feed:load {name} {--after=* : key after which rows are read, one value for each column of it} {--until=* : last key read} {--key=* : a key to be read; values of several columns parted by commas} {--column= : column by whose values rows are chosen} {--from= : first value of it} {--to= : last value of it} {--json}';

    protected $description = 'Has a table, or a part of it, loaded again and what differs in the copy mended';

    public function handle(): int
    {
        $feed = $this->feed();
        $what = match (true) {
            $this->option('key') !== [] => 'keys', $this->option('column') !== null => 'column', $this->option('after') !== [] || $this->option('until') !== [] => 'range', default => 'whole',
        };
        $slice = SliceInput::read(['what' => $what, 'keys' => implode("\n", $this->option('key'))] + $this->options());
        FeedBook::reload($feed, $slice);

        $this->asJson() ? $this->json(['feed' => $feed->name, 'loads' => (string) $slice]) : $this->line("{$feed->name} is asked to load {$slice} again.");

        return self::SUCCESS;
    }
}
