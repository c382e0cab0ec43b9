<?php

declare(strict_types=1);

namespace App\Console;

use App\Feeds\SystemBook;
use App\Runtime\Common\Systems;

final class SystemCheck extends Told
{
    protected $signature = 'system:check {name} {--as= : source or target; what it can be, if left out} {--json}';

    protected $description = 'Tests a system; fails when a finding failed';

    public function handle(Systems $systems): int
    {
        $system = SystemBook::named((string) $this->argument('name'));
        $as = $this->option('as') === 'target' || ($this->option('as') === null && ! $system->mayBeSource()) ? 'target' : 'source';
        $findings = SystemBook::check($system, $systems)[$as];
        $this->asJson() ? $this->json($findings) : $this->findings($findings);

        return in_array('failed', array_column($findings, 'result'), true) ? self::FAILURE : self::SUCCESS;
    }
}
