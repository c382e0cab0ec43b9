<?php

declare(strict_types=1);

namespace App\Console;

use App\Runtime\Common\Fault;
use App\Runtime\Minder;
use App\Support\LogFiles;
use Illuminate\Console\Command;
use Illuminate\Support\Facades\DB;
use Illuminate\Support\Facades\Log;
use Throwable;

final class Schedule extends Command
{
    protected $signature = 'schedule {--once}';

    protected $description = 'Records how far behind the feeds are, drops what was kept long enough, joins old receipts and keeps logs small; any number may run';

    private bool $stop = false;

    /** @return list<string> where everything that belongs to this installation writes what it has to say */
    private static function logs(): array
    {
        $var = dirname(storage_path());

        return ["{$var}/log/*.log", storage_path('logs/*.log'), "{$var}/*/server.log", "{$var}/*/*/server.log"];
    }

    public function handle(Minder $minder): int
    {
        $this->trap([SIGTERM, SIGINT], function (): void {
            $this->stop = true;
        });
        do {
            try {
                $minder->tick();
                LogFiles::rotate(self::logs());
            } catch (Throwable $e) {
                Log::error('schedule: '.Fault::told($e));
                DB::disconnect();
            }
            for ($i = 0; $i < 20 && ! $this->stop && $this->option('once') !== true; $i++) {
                usleep(500_000);
            }
        } while (! $this->stop && $this->option('once') !== true);

        return self::SUCCESS;
    }
}
