<?php

declare(strict_types=1);

namespace App\Console;

use App\Runtime\Work\Leases;
use App\Runtime\Work\Workers;
use Illuminate\Console\Command;
use Illuminate\Support\Facades\DB;
use Throwable;

final class LeaseKeep extends Command
{
    protected $signature = 'lease:keep {pid : number of the process, on this machine}';

    protected $description = 'Renews what a worker holds for as long as its process is at work; commands that carry feeds start it themselves';

    protected $hidden = true;

    public function handle(): int
    {
        $pid = (int) $this->argument('pid');
        for (; posix_kill($pid, 0); sleep(1)) {
            try {
                Workers::works($pid) && Leases::renewAll([Workers::name($pid)]);
            } catch (Throwable) {
                // The worker itself says so when the database is away.
                DB::disconnect();
            }
        }

        return self::SUCCESS;
    }
}
