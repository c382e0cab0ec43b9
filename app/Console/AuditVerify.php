<?php

declare(strict_types=1);

namespace App\Console;

use App\Support\AuditChain;

final class AuditVerify extends Told
{
    protected $signature = 'audit:verify {--known= : what an earlier call said was the last entry} {--json}';

    protected $description = 'Checks that no entry of the audit trail was altered or removed; fails if one was';

    public function handle(): int
    {
        $chain = AuditChain::verify($this->option('known'));
        if ($this->asJson()) {
            $this->json(['entries' => $chain->entries, 'last' => $chain->last, 'wrong' => $chain->wrong]);
        } else {
            $chain->wrong === null ? $this->line('The audit trail is whole: '.number_format($chain->entries)." entries. Keep this elsewhere, for --known: {$chain->last}") : $this->error($chain->wrong);
        }

        return $chain->wrong === null ? self::SUCCESS : self::FAILURE;
    }
}
