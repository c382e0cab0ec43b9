<?php

declare(strict_types=1);

namespace Lighterman\Core\Landing;

use Lighterman\Core\Treatment\Fork;

/**
 * Changes of one feed, gathered by the table that each row lands in.
 *
 * Where rows are kept by key, a row stands in the table of the fork that its latest version takes: whatever table it
 * takes, it leaves the others. A journal has an entry only where the change itself lands; a delete, which need not say what
 * the row was like, is entered in all of them.
 */
final class ForkedPlan implements ChangePlan
{
    /** @var array<string, ChangePlan> by fork, an empty name for the feed's own table */
    private readonly array $plans;

    /** @var array<string, KeyOf> */
    private readonly array $keys;

    /** @var array<string, int> columns of each table */
    private readonly array $widths;

    /** @var list<string> by number of the fork */
    private readonly array $names;

    private readonly KeyOf $key;

    /** Changes that were taken, and those of them that are deletes. */
    private int $taken = 0;

    private int $deletes = 0;

    public function __construct(private readonly LandedTable $landed)
    {
        $plans = $keys = $widths = [];
        foreach ($landed->tables() as $fork => $table) {
            $keys[$fork] = KeyOf::columns($table->shape->names(), $table->key);
            $widths[$fork] = count($table->shape->columns);
            $plans[$fork] = $landed->as->landing->adds() ? new Journal : new NetChanges($keys[$fork]);
        }
        [$this->plans, $this->keys, $this->widths] = [$plans, $keys, $widths];
        $this->names = array_keys($landed->forks->tables);
        $this->key = KeyOf::columns($landed->shape->names(), $landed->key);
    }

    /**
     * Takes a change to a row that lands.
     *
     * @param  int  $fork  number of the fork that the row takes, or Fork::OWN
     * @param  'load'|'insert'|'update'|'delete'  $kind
     * @param  list<string|false|null>|null  $before  as it came out of the feed's sheet, as far as it is known
     * @param  list<string|false|null>  $after  as it lands
     */
    public function land(int $fork, string $kind, ?array $before, array $after, int $number, SourceCommit $commit): void
    {
        $this->taken++;
        $name = $fork < 0 ? '' : $this->names[$fork];
        $key = $this->keys[$name]->values($after);
        $old = $before !== null && $this->key->isSaid($before) ? $this->key->values($before) : $key;
        $this->plans[$name]->add(new Change($kind, $old === $key ? null : $this->row($name, $old), $after, $number), $commit);
        $this->leaveOthers($name, $old === $key ? [$key] : [$key, $old], $number, $commit);
    }

    /**
     * Has a row gone from wherever it stands, without a change that is counted: a choice keeps it out.
     *
     * @param  list<string|false|null>  $row  as it came out of the feed's sheet, as far as it is known
     */
    public function withdraw(array $row, int $number, SourceCommit $commit): void
    {
        $key = $this->key->values($row);
        foreach ($this->plans as $name => $plan) {
            $plan->add(new Change('delete', $this->row($name, $key), null, $number), $commit);
        }
    }

    public function add(Change $change, SourceCommit $commit): void
    {
        if ($change->after !== null) {
            $this->land(Fork::OWN, $change->kind, $change->before, $change->after, $change->number, $commit);

            return;
        }
        $this->taken++;
        $this->deletes++;
        $this->withdraw($change->before ?? [], $change->number, $commit);
    }

    /** @param  list<list<string>>  $keys */
    private function leaveOthers(string $name, array $keys, int $number, SourceCommit $commit): void
    {
        if ($this->landed->as->landing->adds()) {
            return;
        }
        foreach ($this->plans as $other => $plan) {
            foreach ($other === $name ? [] : $keys as $key) {
                $plan->add(new Change('delete', $this->row($other, $key), null, $number), $commit);
            }
        }
    }

    /**
     * A row of a table, of which only the key is known.
     *
     * @param  list<string>  $key
     * @return list<string|false|null>
     */
    private function row(string $name, array $key): array
    {
        $row = array_fill(0, $this->widths[$name], false);
        foreach ($this->keys[$name]->places as $i => $at) {
            $row[$at] = $key[$i];
        }

        return array_values($row);
    }

    /** @return array<string, ChangePlan> by fork, an empty name for the feed's own table */
    public function parts(): array
    {
        return $this->plans;
    }

    /**
     * How many changes count as read, of which the given number of rows were deleted: leaving a table counts only where a
     * row stood there. In journals every entry counts.
     */
    public function read(int $deleted): int
    {
        return $this->landed->as->landing->adds() ? $this->lines() : $this->taken + max(0, $deleted - $this->deletes);
    }

    public function changes(): int
    {
        return array_sum(array_map(static fn (ChangePlan $p): int => $p->changes(), $this->plans));
    }

    public function lines(): int
    {
        return array_sum(array_map(static fn (ChangePlan $p): int => $p->lines(), $this->plans));
    }

    /** Each part has keys of its own. */
    public function keys(): iterable
    {
        return [];
    }

    public function clear(): void
    {
        $this->taken = $this->deletes = 0;
        foreach ($this->plans as $plan) {
            $plan->clear();
        }
    }
}
