<?php

declare(strict_types=1);

namespace App\Pages;

use App\Models\Definition;
use App\Models\Feed;
use Carbon\CarbonImmutable;
use Lighterman\Core\Landing\LandedTable;
use Lighterman\Core\Shape\Shape;

/** What has become of the columns of a landed table, and of how it is kept, by the versions of its feed. */
final readonly class ShapeHistory
{
    /**
     * @param  list<string>  $changes  one sentence each; none for the beginning
     * @param  int  $columns  that the table has from then on
     */
    private function __construct(public int $version, public CarbonImmutable $at, public string $person, public array $changes, public int $columns)
    {
    }

    /** @return list<self> the latest first; versions that change neither columns nor files are left out */
    public static function of(Feed $feed): array
    {
        $history = [];
        $before = null;
        /** @var Definition $version */
        foreach ($feed->definitions()->orderBy('version')->get() as $version) {
            $definition = $version->parsed();
            $tables = array_map(static fn (LandedTable $t): Shape => new Shape($t->columns(), $t->rowKey()), $definition->landedTable()->tables());
            $now = ['tables' => $tables, 'writing' => $definition->destination->writing->toArray(), 'partitions' => implode(', ', array_map(strval(...), $definition->destination->partitionBy))];
            $changes = $before === null ? [] : self::changes($before, $now, $feed->landsInFiles() ? $definition->destination->writing->word() : '');
            if ($before === null || $changes !== []) {
                $history[] = new self($version->version, $version->created_at, $version->person, $changes, array_sum(array_map(static fn (Shape $s): int => count($s->columns), $tables)));
            }
            $before = $now;
        }

        return array_reverse($history);
    }

    /**
     * @param  array{tables: array<string, Shape>, writing: array<string, mixed>, partitions: string}  $before
     * @param  array{tables: array<string, Shape>, writing: array<string, mixed>, partitions: string}  $now
     * @return list<string>
     */
    private static function changes(array $before, array $now, string $written): array
    {
        $said = [];
        foreach ($now['tables'] as $fork => $shape) {
            $of = $fork === '' ? '' : " (fork {$fork})";
            $was = $before['tables'][$fork] ?? null;
            $said = [...$said, ...($was === null ? ["Records land in a further table{$of}."] : array_map(static fn (string $s): string => rtrim($s, '.')."{$of}.", $was->difference($shape)->sentences()))];
        }
        foreach (array_keys(array_diff_key($before['tables'], $now['tables'])) as $fork) {
            $said[] = "Nothing lands any more by the fork {$fork}.";
        }
        if ($written !== '' && $before['writing'] !== $now['writing']) {
            $said[] = "Files are written as {$written}.";
        }
        if ($before['partitions'] !== $now['partitions']) {
            $said[] = $now['partitions'] === '' ? 'Files are no longer parted into folders.' : "Files are parted by {$now['partitions']}.";
        }

        return $said;
    }
}
