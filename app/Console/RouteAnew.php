<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\FeedBook;
use App\Models\Route;
use Lighterman\Core\Trouble\MissingTrouble;

final class RouteAnew extends Told
{
    protected $signature = 'route:anew {route : its name} {--capture=log : log or trigger} {--json}';

    protected $description = "Begins the reading of a route's changes anew: what it is read by is made again, and every table loaded again beside its changes";

    public function handle(): int
    {
        $name = (string) $this->argument('route');
        $log = Route::where('name', $name)->first()?->logBy((string) $this->option('capture'))
            ?? throw MissingTrouble::log($name, (string) $this->option('capture'));
        FeedBook::beginAnew($log);
        $this->asJson() ? $this->json(['route' => $name, 'capture' => $log->capture]) : $this->line("The reading of {$name} begins anew.");

        return self::SUCCESS;
    }
}
