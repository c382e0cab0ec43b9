<?php

declare(strict_types=1);

namespace App\Runtime\Treating;

use Illuminate\Support\Facades\DB;
use Lighterman\Core\Carrying\Watched;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Treatment\Judging;
use Lighterman\Core\Treatment\Treated;

/** Counts the records of one feed that satisfy its watch rules, by hour, and keeps the latest of them as they landed. */
final class WatchCounter implements Watched
{
    private const KEPT = 20;

    private int $landed = 0;

    /** @var array<int, int> */
    private array $matched = [];

    /** @var array<int, list<list<string|false|null>>> */
    private array $samples = [];

    public function __construct(private readonly int $feedId, private readonly FeedDefinition $definition)
    {
    }

    public function add(int $landed, Treated $treated): void
    {
        if ($this->definition->treatment->watch === []) {
            return;
        }
        $this->landed += $landed;
        foreach ($treated->matched as $rule => $records) {
            $this->matched[$rule] = ($this->matched[$rule] ?? 0) + $records;
            $this->samples[$rule] = array_slice([...$this->samples[$rule] ?? [], ...$treated->samples[$rule] ?? []], -self::KEPT);
        }
    }

    /** What was counted has landed. */
    public function flush(): void
    {
        if ($this->landed === 0) {
            return;
        }
        $names = $this->definition->landedTable()->shape->names();
        // They are kept as they come out of the feed's own sheet, before a fork masks them further.
        $shown = fn (array $row): array => array_map(fn (string $n, string|false|null $v): string|false|null => is_string($v) && $this->definition->treatment->hidesFurther($n) ? Judging::HIDDEN : $v, $names, $row);
        foreach ($this->definition->treatment->watch as $n => $rule) {
            DB::insert("INSERT INTO watched_hours AS w (feed_id, name, hour, landed, matched) VALUES (?, ?, date_trunc('hour', now()), ?, ?)
                ON CONFLICT (feed_id, name, hour) DO UPDATE SET landed = w.landed + excluded.landed, matched = w.matched + excluded.matched", [$this->feedId, $rule->name, $this->landed, $this->matched[$n] ?? 0]);
            if (($this->samples[$n] ?? []) !== []) {
                DB::table('watched_samples')->insert(array_map(fn (array $row): array => ['feed_id' => $this->feedId, 'name' => $rule->name, 'at' => now(), 'record' => KeptRecord::json(array_combine($names, $shown($row)))], $this->samples[$n]));
                DB::delete('DELETE FROM watched_samples WHERE feed_id = ? AND name = ? AND id NOT IN (SELECT id FROM watched_samples WHERE feed_id = ? AND name = ? ORDER BY id DESC LIMIT '.self::KEPT.')', [$this->feedId, $rule->name, $this->feedId, $rule->name]);
            }
        }
        $this->forget();
    }

    /** What was counted did not land. */
    public function forget(): void
    {
        $this->landed = 0;
        $this->matched = $this->samples = [];
    }
}
