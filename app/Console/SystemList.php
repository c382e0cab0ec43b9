<?php

declare(strict_types=1);

namespace App\Console;

use App\Models\System;

final class SystemList extends Told
{
    protected $signature = 'systems {--json}';

    protected $description = 'Lists the systems';

    public function handle(): int
    {
        return $this->rows(array_values(System::orderBy('name')->get()->map(static fn (System $s): array => [
            'system' => $s->name, 'kind' => $s->kind, 'place' => $s->place(), 'user' => $s->settings['user'] ?? '', 'tested' => $s->checked_at?->toIso8601String() ?? 'never',
        ])->all()), 'There is no system yet. bin/lighterman system:add makes one.');
    }
}
