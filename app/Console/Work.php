<?php

declare(strict_types=1);

namespace App\Console;

use App\Runtime\Systems;
use App\Runtime\Worker;
use Illuminate\Console\Command;

final class Work extends Command
{
    protected $signature = 'work';

    protected $description = 'Takes due feeds and carries them, until stopped';

    public function handle(Systems $systems): int
    {
        $worker = new Worker($systems);
        $this->trap([SIGTERM, SIGINT], $worker->stop(...));
        $worker->work();

        return self::SUCCESS;
    }
}
