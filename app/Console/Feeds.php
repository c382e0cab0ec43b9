<?php

declare(strict_types=1);

namespace App\Console;

use App\Models\Feed;
use App\Pages\Frame;
use App\Support\Say;

final class Feeds extends Told
{
    protected $signature = 'feeds {--json}';

    protected $description = 'Lists the feeds with their state and how far behind they are';

    public function handle(): int
    {
        $json = $this->asJson();
        $rows = Feed::with('route.logs')->orderBy('name')->get()->map(static fn (Feed $f): array => [
            'feed' => $f->name, 'route' => $f->route->name, 'capture' => $f->capture, 'state' => $f->state(),
            'behind' => $json ? $f->behind() : Say::span($f->behind()), 'promise' => $json ? $f->promise_seconds : Say::span((float) $f->promise_seconds), 'landed' => $f->landed,
        ])->all();

        $idle = $json ? null : app(Frame::class)->withoutWorkers();
        $idle === null || $this->warn("{$idle} Nothing is carried meanwhile. Start one with bin/lighterman work.");

        return $this->rows(array_values($rows), 'There is no feed yet. bin/lighterman route:load FILE makes some.');
    }
}
