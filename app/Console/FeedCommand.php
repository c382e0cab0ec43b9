<?php

declare(strict_types=1);

namespace App\Console;

use App\Models\Feed;
use Lighterman\Core\Trouble\MissingTrouble;

/** A command about one named feed. */
abstract class FeedCommand extends Told
{
    protected function feed(): Feed
    {
        $name = (string) $this->argument('name');

        return Feed::with('route.source', 'route.target', 'route.logs', 'definition')->where('name', $name)->first()
            ?? throw MissingTrouble::feed($name);
    }
}
