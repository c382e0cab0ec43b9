<?php

declare(strict_types=1);

namespace App\Console;

use App\Models\SetAside;
use App\Support\Way;

final class FeedShow extends FeedCommand
{
    protected $signature = 'feed:show {name} {--json}';

    protected $description = 'Shows one feed: state, position, definition and the latest runs';

    public function handle(): int
    {
        $feed = $this->feed();
        $log = $feed->log();
        // Where what is shared with others keeps it from going on, that is its trouble.
        $trouble = $log?->hasFailed() ? $log->trouble : $feed->trouble;
        $waiting = SetAside::waiting()->where('feed_id', $feed->id);
        $about = [
            'feed' => $feed->name, 'state' => $feed->state(), 'behind_seconds' => $feed->behind(), 'promise_seconds' => $feed->promise_seconds,
            'position' => (string) $feed->stands(), 'receipts' => $feed->sequence, 'next' => $feed->due_at?->toIso8601String(),
            'trouble' => $trouble, 'set_aside' => $waiting->count(), 'set_aside_reasons' => $waiting->clone()->selectRaw('reason, count(*) AS n')->groupBy('reason')->pluck('n', 'reason')->all(), 'definition_version' => $feed->definition->version,
        ];
        $runs = $feed->runs()->latest('id')->limit(10)->get(['id', 'kind', 'state', 'read', 'inserted', 'updated', 'unchanged', 'started_at'])->toArray();
        if ($this->asJson()) {
            $this->json($about + ['definition' => $feed->definition->body, 'runs' => $runs]);

            return self::SUCCESS;
        }
        $told = ['trouble' => $trouble?->message, 'remedy' => $trouble === null ? null : Way::said($trouble->remedy, $feed, $log?->hasFailed() ? $log : null), 'set_aside_reasons' => implode(', ', array_map(static fn (string $reason, int $n): string => "{$reason}: {$n}", array_keys($about['set_aside_reasons']), $about['set_aside_reasons'])) ?: null];
        foreach ($told + $about as $what => $value) {
            $this->line(str_pad(str_replace('_', ' ', $what), 20).($value ?? '—'));
        }
        $this->table(['run', 'kind', 'state', 'read', 'inserted', 'updated', 'unchanged', 'started'], $runs);

        return self::SUCCESS;
    }
}
