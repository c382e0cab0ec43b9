<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\SystemBook;
use App\Models\System;
use App\Runtime\Systems;
use Illuminate\Console\Command;

final class DemoSystems extends Command
{
    protected $signature = 'demo:systems {--port=}';

    protected $description = 'Enters the demo\'s systems, weighbridge and warehouse';

    protected $hidden = true;

    public function handle(Systems $systems): int
    {
        [$reader, $writer] = explode("\n", (string) stream_get_contents(STDIN));
        foreach (['weighbridge' => ['weighbridge_reader', $reader], 'warehouse' => ['warehouse_writer', $writer]] as $name => [$user, $secret]) {
            $settings = ['host' => '127.0.0.1', 'port' => (int) $this->option('port'), 'database' => $name, 'user' => $user, 'tls' => 'prefer'];
            $system = System::where('name', $name)->first();
            if ($system === null) {
                $system = SystemBook::add($name, $settings, $secret);
            } elseif ($system->settings['port'] !== $settings['port']) {
                SystemBook::change($system, $name, $settings, null);
            } else {
                continue;
            }
            SystemBook::check($system->refresh(), $systems);
        }

        return self::SUCCESS;
    }
}
