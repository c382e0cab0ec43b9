<?php

declare(strict_types=1);

namespace App\Runtime\Query;

use App\Models\Feed;
use App\Support\Say;
use Lighterman\Connectors\SteadyClock;
use Lighterman\Core\Capture\ReadPlan;
use Lighterman\Core\Carrying\LoadProgress;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Port\SourceSystem;
use Lighterman\Core\Position\FileMark;
use Lighterman\Core\Shape\TableName;

/** What a run says of what it reads, and how far a load has come. */
final class Announcement
{
    public static function announce(Feed $feed, ReadPlan $plan, SourceSystem $source, FeedDefinition $definition, RunRecorder $recorder): void
    {
        $recorder->say(match ($plan->kind) {
            'reload' => "Reads {$definition->origin->table} whole.",
            'load' => $plan->from->loadedTo() === null ? "First load of {$definition->origin->table} in key order." : "First load goes on after {$plan->from}.",
            'increment' => "Reads from {$plan->from} to {$plan->end()}.",
            'slice' => "Reads {$plan->slice} again.",
            'files' => 'Takes '.Say::files(count($plan->files->taken)).', '.Say::bytes(array_sum(array_map(static fn (FileMark $f): int => $f->size, $plan->files->taken))).($plan->files->refused === [] ? '.' : '; '.count($plan->files->refused).' of them changed since they were taken and are set aside.'),
        });
        if (in_array($plan->kind, ['increment', 'slice'], true) || ($plan->kind === 'files' && ! $plan->from->isLoading())) {
            return;
        }
        $rows = $plan->from->loadedTo() === null ? 0 : ($feed->loading()->rows ?? 0);
        $feed->update([
            'standing' => $feed->standing === 'carried' ? 'carried' : 'loading',
            'progress' => (new LoadProgress($rows, $definition->origin->files === null ? self::expected($source, $definition->origin->table) : null, SteadyClock::micros() / 1e6, $rows))->toArray(),
        ]);
    }

    private static function expected(SourceSystem $source, TableName $table): ?int
    {
        foreach ($source->catalogue() as $entry) {
            if ((string) $entry->table === (string) $table) {
                return $entry->estimatedRows;
            }
        }

        return null;
    }

    public static function add(Feed $feed, int $rows): void
    {
        $feed->progress = $feed->loading()?->plus($rows)->toArray();
    }

    /**
     * Files that gave nothing, not even a line that was set aside, are seldom meant to.
     *
     * @param  list<FileMark>  $files
     */
    public static function sayEmpty(array $files, RunRecorder $recorder): void
    {
        $empty = array_values(array_filter($files, static fn (FileMark $f): bool => $f->rows === 0 && $f->setAside === 0));
        $empty === [] || $recorder->say((count($empty) === 1 ? "{$empty[0]->path} holds" : Say::files(count($empty)).", such as {$empty[0]->path}, hold").' no rows.', 'caution');
    }
}
