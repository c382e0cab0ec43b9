<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\SystemBook;
use App\Runtime\Common\Systems;
use Lighterman\Connectors\Lake\LakeTarget;

final class LakeScan extends Told
{
    protected $signature = 'lake:scan {name : of a lake} {--json}';

    protected $description = 'Looks through a lake for tables that no feed has landed, and registers them';

    public function handle(Systems $systems): int
    {
        $system = SystemBook::named((string) $this->argument('name'));
        $target = $system->keepsFiles() ? $systems->target($system) : null;
        if (! $target instanceof LakeTarget) {
            return $this->refuse("{$system->name} is no lake.");
        }
        $told = $target->scan();
        if ($this->asJson()) {
            $this->json($told);
        } else {
            $this->line($told['tables'] === 1 ? '1 table of others found.' : "{$told['tables']} tables of others found.");
            foreach ($told['unreadable'] as $file => $why) {
                $this->line("not read: {$file}: {$why}");
            }
        }

        return self::SUCCESS;
    }
}
