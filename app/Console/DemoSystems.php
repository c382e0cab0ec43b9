<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\SystemBook;
use App\Models\System;
use App\Runtime\Common\Systems;
use Illuminate\Console\Command;

final class DemoSystems extends Command
{
    protected $signature = 'demo:systems {--port=} {--cellar-port=}';

    protected $description = 'Enters the demo\'s systems: weighbridge, warehouse, lake, lab drop and, where it runs, the cellar';

    protected $hidden = true;

    public function handle(Systems $systems): int
    {
        [$reader, $writer, $cellar, $asker, $administrator] = explode("\n", (string) stream_get_contents(STDIN));
        $wanted = [
            'weighbridge' => ['postgres', 'weighbridge', 'weighbridge_reader', $reader, $this->option('port')],
            'warehouse' => ['postgres', 'warehouse', 'warehouse_writer', $writer, $this->option('port')],
            'cellar' => ['mariadb', 'cellar', 'cellar_reader', $cellar, $this->option('cellar-port')],
        ];
        foreach ($wanted as $name => [$kind, $database, $user, $secret, $port]) {
            if ($port === null) {
                continue;
            }
            $settings = ['host' => '127.0.0.1', 'port' => (int) $port, 'database' => $database, 'user' => $user, 'tls' => 'prefer'];
            $system = System::where('name', $name)->first();
            if ($system === null) {
                $system = SystemBook::add($name, $settings, $secret, $kind);
            } elseif ($system->settings['port'] !== $settings['port']) {
                SystemBook::change($system, $name, $settings, $secret);
            } else {
                continue;
            }
            SystemBook::check($system->refresh(), $systems);
        }

        $warehouse = SystemBook::named('warehouse');
        $warehouse->asker_user !== null || SystemBook::ask($warehouse, 'warehouse_asker', $asker, ['lighterman', $administrator], $systems);

        foreach (['lake' => ['lake', 'lake'], 'lab drop' => ['files', 'lab-drop']] as $name => [$kind, $folder]) {
            if (! System::where('name', $name)->exists()) {
                $path = dirname(storage_path())."/{$folder}";
                is_dir($path) || mkdir($path);
                SystemBook::check(SystemBook::add($name, ['path' => $path], '', $kind), $systems);
            }
        }

        return self::SUCCESS;
    }
}
