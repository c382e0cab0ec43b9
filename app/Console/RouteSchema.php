<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\DefinitionFile;
use Illuminate\Console\Command;

final class RouteSchema extends Command
{
    protected $signature = 'route:schema';

    protected $description = 'Prints the JSON Schema of a file that describes a route and its feeds';

    public function handle(): int
    {
        $this->line(json_encode(DefinitionFile::schema(), JSON_THROW_ON_ERROR | JSON_PRETTY_PRINT | JSON_UNESCAPED_SLASHES | JSON_UNESCAPED_UNICODE));

        return self::SUCCESS;
    }
}
