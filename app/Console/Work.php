<?php

declare(strict_types=1);

namespace App\Console;

use App\Runtime\Common\Systems;
use App\Runtime\Work\Keeper;
use App\Runtime\Worker;
use Illuminate\Console\Command;

final class Work extends Command
{
    protected $signature = 'work {--carry= : carry feeds in this process, for as long as the one of that number is its parent}';

    protected $description = 'Carries due feeds and reads the logs of routes, until stopped';

    public function handle(Systems $systems): int
    {
        self::dieAtOnce();
        if ($this->option('carry') !== null) {
            $worker = new Worker($systems);
            $this->trap([SIGTERM, SIGINT], $worker->stop(...));
            $worker->work((int) $this->option('carry'));
        } else {
            $keeper = new Keeper((int) config('lighterman.logs_per_worker'));
            $this->trap([SIGTERM, SIGINT], $keeper->stop(...));
            $keeper->keep();
        }

        return self::SUCCESS;
    }

    /** After a fatal error PHP closes its connections, and closing one in the middle of a COPY would wait for ever. */
    public static function dieAtOnce(): void
    {
        register_shutdown_function(static function (): void {
            if (in_array(error_get_last()['type'] ?? 0, [E_ERROR, E_CORE_ERROR, E_COMPILE_ERROR], true)) {
                posix_kill((int) getmypid(), SIGKILL);
            }
        });
    }
}
