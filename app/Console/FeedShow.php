<?php

declare(strict_types=1);

namespace App\Console;

final class FeedShow extends FeedCommand
{
    protected $signature = 'feed:show {name} {--json}';

    protected $description = 'Shows one feed: state, position, definition and the latest runs';

    public function handle(): int
    {
        $feed = $this->feed();
        $about = [
            'feed' => $feed->name, 'state' => $feed->state(), 'behind_seconds' => $feed->behind(), 'promise_seconds' => $feed->promise_seconds,
            'position' => (string) $feed->stands(), 'receipts' => $feed->sequence, 'next' => $feed->due_at?->toIso8601String(),
            'trouble' => $feed->trouble, 'definition_version' => $feed->definition->version,
        ];
        $runs = $feed->runs()->latest('id')->limit(10)->get(['id', 'kind', 'state', 'read', 'inserted', 'updated', 'unchanged', 'started_at'])->toArray();
        if ($this->asJson()) {
            $this->json($about + ['definition' => $feed->definition->body, 'runs' => $runs]);

            return self::SUCCESS;
        }
        foreach ($about as $what => $value) {
            $this->line(str_pad(str_replace('_', ' ', $what), 20).(is_array($value) ? $value['message'] : ($value ?? '—')));
        }
        $this->table(['run', 'kind', 'state', 'read', 'inserted', 'updated', 'unchanged', 'started'], $runs);

        return self::SUCCESS;
    }
}
