<?php

declare(strict_types=1);

namespace Lighterman\Connectors\Warehouse;

use Lighterman\Core\Format\CopyText;
use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\Journal;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Record\Counts;
use LogicException;

/** Adds every change as a row: what kind, where in the log, when, the row before as far as it is known, the row after. */
final readonly class JournalWriter implements ChangeWriter
{
    public function __construct(private Warehouse $at, private FeedTable $table)
    {
    }

    public function write(ChangePlan $plan, string $now): Counts
    {
        if (! $plan instanceof Journal) {
            throw new LogicException('Landing append takes a journal.');
        }
        $loading = $this->loading();
        foreach ($plan->entries() as [$change, $commit]) {
            $loading->add($this->line($change->kind, $change->after ?? $change->before ?? [], $change, $commit, $change->number, $now));
        }
        $sent = $loading->end();

        return $sent->plus(new Counts($loading->rows()));
    }

    public function truncate(SourceCommit $commit, int $number, string $now, string $only = '1 = 1'): Counts
    {
        $loading = $this->loading();
        $loading->add($this->line('truncate', array_fill(0, count($this->table->carried), null), null, $commit, $number, $now));
        $loading->end();

        return new Counts(1);
    }

    private function loading(): Loading
    {
        return new Loading($this->at, $this->table->table, [...$this->table->carried, ...$this->table->having('source_position', 'change_kind', 'changed_at', 'row_before', 'not_sent', 'delivered_at')]);
    }

    /** @param  list<string|false|null>  $row */
    private function line(string $kind, array $row, ?Change $change, SourceCommit $commit, int $number, string $now): string
    {
        $names = $this->table->carried;
        $unsent = [];
        foreach ($change->after ?? [] as $i => $value) {
            if ($value === false) {
                $unsent[] = $names[$i];
            }
        }
        $before = null;
        foreach ($change->before ?? [] as $i => $value) {
            if ($value !== false) {
                $before[$names[$i]] = $value;
            }
        }

        return CopyText::line([
            ...$row,
            $commit->place->ofChange($number), $kind, $commit->time(),
            $before === null ? null : json_encode($before, JSON_THROW_ON_ERROR | JSON_UNESCAPED_UNICODE | JSON_UNESCAPED_SLASHES),
            $unsent === [] ? null : $this->at->sql->list($unsent),
            ...($this->table->technical('delivered_at') === null ? [] : [$now]),
        ]);
    }
}
