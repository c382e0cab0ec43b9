<?php

declare(strict_types=1);

namespace App\Support;

use App\Models\Feed;
use App\Models\RouteLog;
use Lighterman\Core\Trouble\Act;
use Lighterman\Core\Trouble\Remedy;

/** Where the act of a remedy is done: on which page, and by which command. */
final readonly class Way
{
    private function __construct(public string $path, public string $words)
    {
    }

    /**
     * @param  Feed|null  $feed  that is in trouble, or whose route is
     * @return self|null null where the remedy has no act, or it is not known of what
     */
    public static function to(Remedy $remedy, ?Feed $feed = null, ?RouteLog $log = null): ?self
    {
        $name = $feed === null ? '' : '/feeds/'.rawurlencode($feed->name);
        $route = $log === null ? null : new self("/routes/{$log->route_id}?capture={$log->capture}", 'The route\'s page');

        return match ($remedy->act) {
            Act::BeginAnew => $route,
            Act::CheckSystem => $remedy->of === null ? null : new self('/systems/'.rawurlencode($remedy->of), "The page of {$remedy->of}"),
            Act::ListSystems => new self('/systems', 'Systems'),
            Act::ListFeeds => new self('/feeds', 'Feeds'),
            Act::StartOver => $route ?? ($feed === null ? null : new self("{$name}/set-up", 'Set-up')),
            Act::LoadAgain => $feed === null ? null : ($feed->kind()->loadsAgain() ? new self($name, 'Load it again') : new self("{$name}/set-up", 'Set-up')),
            Act::ChangeColumns => $feed === null ? null : new self("{$name}/columns", 'Columns'),
            Act::AgreeToShape, Act::DecideEmptied => $feed === null ? null : new self($name, 'Decide'),
            null => null,
        };
    }

    /** The command that does it; null as to() has it, and where no command does. */
    public static function command(Remedy $remedy, ?Feed $feed = null, ?RouteLog $log = null): ?string
    {
        $name = $feed === null ? null : escapeshellarg($feed->name);
        $route = $log === null ? null : 'route:anew '.escapeshellarg($log->route->name)." --capture={$log->capture}";
        $said = match ($remedy->act) {
            Act::BeginAnew => $route,
            Act::CheckSystem => $remedy->of === null ? null : 'system:check '.escapeshellarg($remedy->of),
            Act::ListSystems => 'systems',
            Act::ListFeeds => 'feeds',
            Act::StartOver => $route ?? ($name === null ? null : "feed:start-over {$name} --confirm={$name}"),
            Act::LoadAgain => $feed === null ? null : ($feed->kind()->loadsAgain() ? "feed:load {$name}" : "feed:start-over {$name} --confirm={$name}"),
            Act::AgreeToShape => $name === null ? null : "feed:agree {$name}",
            Act::DecideEmptied => $name === null ? null : "feed:emptied {$name} carry (or keep)",
            Act::ChangeColumns, null => null,
        };

        return $said === null ? null : "bin/lighterman {$said}";
    }

    /** A remedy with the command that is part of it. */
    public static function said(Remedy $remedy, ?Feed $feed = null, ?RouteLog $log = null): string
    {
        $command = self::command($remedy, $feed, $log);

        return $remedy->said.($command === null ? '' : "\n  {$command}");
    }
}
