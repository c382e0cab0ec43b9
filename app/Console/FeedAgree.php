<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\FeedBook;
use App\Runtime\Common\Systems;

final class FeedAgree extends FeedCommand
{
    protected $signature = 'feed:agree {name} {--json}';

    protected $description = "Agrees to the present shape of a held feed's table";

    public function handle(Systems $systems): int
    {
        $feed = $this->feed();
        $again = FeedBook::agreeToPresent($feed, $systems);
        $this->asJson() ? $this->json(['feed' => $feed->name, 'loads_again' => $again]) : $this->line("The new shape of {$feed->name} is agreed.".($again ? ' The table is loaded again for what is new.' : ($feed->definition->body['landing'] === 'append' ? ' The journal has what is new from the next change of each row on.' : '')));

        return self::SUCCESS;
    }
}
