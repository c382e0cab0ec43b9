<?php

declare(strict_types=1);

namespace App\Runtime\Log;

use App\Runtime\Treating\AsideBook;
use App\Runtime\Treating\Treating;
use App\Runtime\Treating\WatchCounter;
use Lighterman\Core\Capture\Log\LoggedRow;
use Lighterman\Core\Capture\Log\Lsn;
use Lighterman\Core\Capture\Log\Relation;
use Lighterman\Core\Definition\FeedDefinition;
use Lighterman\Core\Landing\Change;
use Lighterman\Core\Landing\ChangePlan;
use Lighterman\Core\Landing\ForkedPlan;
use Lighterman\Core\Landing\Journal;
use Lighterman\Core\Landing\KeyOf;
use Lighterman\Core\Landing\Landing;
use Lighterman\Core\Landing\NetChanges;
use Lighterman\Core\Landing\SourceCommit;
use Lighterman\Core\Landing\Versions;
use Lighterman\Core\Position\Position;
use Lighterman\Core\Treatment\Apart;
use Lighterman\Core\Treatment\Fork;
use Lighterman\Core\Treatment\Treated;
use Lighterman\Core\Treatment\Treater;

/** One feed while its route's log is read. */
final class Carrier
{
    public readonly ChangePlan $plan;

    public readonly KeyOf $key;

    private readonly KeyOf $landedKey;

    /** Whether records that were set aside are to be sent again. */
    public bool $again = false;

    /** Whether the small files of what it has landed are to be joined. */
    public bool $joins = false;

    /** Whether its changes go to the spool instead of landing with the others. */
    public bool $apart = false;

    /** Whether a person, or trouble of its own, keeps it from landing. */
    public bool $blocked = false;

    /** Rows of the next chunk of a load. */
    public int $chunkRows = 500;

    /** Whether the load must go over the table once more: a row moved, before it was loaded, to a key that had been passed. */
    public bool $onceMore = false;

    public bool $secondTime = false;

    /** Whether a load has come to its end, so that every row of the source is there. */
    public bool $complete = false;

    /** @var list<string>|null last key of a part that is loaded again */
    public ?array $loadUntil = null;

    public ?Window $window = null;

    /** @var list<array<string, mixed>> changes of the transaction being read that go to the spool */
    public array $spooling = [];

    public int $spooledParts = 0;

    /** Changes taken from the transaction being read. */
    public int $taken = 0;

    /** @var list<array{int, int}> commit time and number of changes of every transaction in the batch */
    public array $commits = [];

    /** @var array<int, int> changes of the transaction being read, by when they were made, where that is known of each */
    private array $takenAt = [];

    /** @var array<int, list<int>|null> by relation: which of its columns are carried; null for all in order */
    private array $picks = [];

    /** What is done to its records on the way; null for nothing. */
    private ?Treater $treater = null;

    public readonly AsideBook $aside;

    /** Changes that were read but do not land, since the last commit. */
    private Treated $kept;

    private int $setAside = 0;

    private int $passed = 0;

    public readonly WatchCounter $watch;

    /** Number that the receipt of the batch under way will have. */
    private int $sequence = 0;

    private int $run = 0;

    public function __construct(
        public readonly int $id,
        public readonly string $uid,
        public readonly string $name,
        public readonly int $definitionId,
        public readonly FeedDefinition $definition,
        public Position $position,
    ) {
        $this->key = KeyOf::columns($definition->carried()->names(), $definition->key);
        $landed = $definition->landedTable();
        $this->landedKey = KeyOf::columns($landed->shape->names(), $landed->key);
        $this->plan = match (true) {
            $landed->forks !== [] => new ForkedPlan($landed),
            $definition->landing === Landing::Append => new Journal,
            $definition->landing === Landing::Versions => new Versions($this->landedKey),
            default => new NetChanges($this->landedKey),
        };
        $this->aside = new AsideBook($id, $definitionId, $definition);
        $this->watch = new WatchCounter($id, $definition);
        $this->kept = new Treated;
    }

    /**
     * From here on records are treated, and set aside under the receipt that comes next.
     *
     * @param  int  $landed  number of the last receipt that stands in the target
     */
    public function treat(string $sourceName, int $landed): void
    {
        $this->treater ??= Treating::of($this->definition, $sourceName, 0);
        $this->sequence = $landed + 1;
        $this->aside->begin($landed);
        $this->forgetKept();
    }

    /** The run that what comes next belongs to. */
    public function runs(int $run, string $sourceName): void
    {
        if ($run !== $this->run) {
            $this->run = $run;
            $this->treater?->stamp(Treating::stamps($sourceName, $run));
        }
    }

    public function isTreated(): bool
    {
        return $this->treater !== null;
    }

    /** @return array{dropped: int, setAside: int} */
    public function kept(): array
    {
        return ['dropped' => $this->kept->dropped, 'setAside' => $this->setAside];
    }

    public function warned(): int
    {
        return $this->kept->warned;
    }

    /** The batch has landed. */
    public function landedAs(int $sequence): void
    {
        $this->sequence = $sequence + 1;
        $this->watch->add($this->passed, $this->kept);
        $this->forgetKept();
    }

    private function forgetKept(): void
    {
        $this->kept = new Treated;
        $this->setAside = $this->passed = 0;
    }

    public function fits(Relation $relation): bool
    {
        $wanted = $this->definition->carried()->names();
        $known = [...$this->definition->shape->names(), ...$this->definition->leaveOut];

        return array_diff($wanted, $relation->columns) === [] && array_diff($relation->columns, $known) === [];
    }

    public function forget(Relation $relation): void
    {
        unset($this->picks[$relation->id]);
    }

    public function change(LoggedRow $row, int $number): Change
    {
        $relation = $row->relation;
        if (! array_key_exists($relation->id, $this->picks)) {
            $wanted = $this->definition->carried()->names();
            $this->picks[$relation->id] = $wanted === $relation->columns ? null : array_map(static fn (string $c): int => (int) array_search($c, $relation->columns, true), $wanted);
        }
        $pick = $this->picks[$relation->id];

        return $pick === null
            ? new Change($row->operation, $row->before, $row->after, $number)
            : new Change($row->operation, self::picked($row->before, $pick), self::picked($row->after, $pick), $number);
    }

    public function take(Change $change, SourceCommit $commit): void
    {
        $this->add($this->window === null || $this->window->opened === 0 ? $change : $this->window->settle($change), $commit);
        $this->taken++;
    }

    /** Has a change treated, and takes what is left of it into the plan. */
    public function add(Change $change, SourceCommit $commit): void
    {
        $change = $this->overtake($change);
        if ($this->treater === null) {
            $this->plan->add($change, $commit);

            return;
        }
        $before = $change->before === null ? null : $this->treater->before($change->before);
        if ($change->after === null) {
            if ($this->landedKey->isSaid($before ?? [])) {
                $this->plan->add(new Change($change->kind, $before, null, $change->number), $commit);
            } else {
                // Its key cannot be treated, so the row never landed.
                $this->kept->dropped++;
            }

            return;
        }
        $after = $this->treater->row($this->filled($change), $this->kept);
        if ($after !== null) {
            $this->passed++;
            $this->land($change->kind, $before, $after, $change->number, $commit);

            return;
        }
        $this->withdraw($change->number, $commit);
        foreach ($this->kept->apart as $apart) {
            $this->setAside++;
            $this->aside->add($apart, ['run' => $this->run, 'sequence' => $this->sequence, 'position' => Lsn::text($commit->lsn), 'lsn' => $commit->lsn, 'number' => $change->number, 'kind' => $change->kind, 'at' => $commit->at]);
        }
        $this->kept->apart = [];
        if ($this->leavesKey($change)) {
            // The row is no longer what it was, whatever becomes of what it is now.
            $this->plan->add(new Change('delete', $before, null, $change->number), $commit);
        }
    }

    /**
     * @param  'load'|'insert'|'update'|'delete'  $kind
     * @param  list<string|false|null>|null  $before
     * @param  list<string|false|null>  $after
     */
    private function land(string $kind, ?array $before, array $after, int $number, SourceCommit $commit): void
    {
        if ($this->plan instanceof ForkedPlan) {
            $this->plan->land($this->treater->took ?? Fork::OWN, $kind, $before, $after, $number, $commit);
        } else {
            $this->plan->add(new Change($kind, $before, $after, $number), $commit);
        }
    }

    /** A row that a choice keeps out, for it takes no fork, goes from where it stood; of a journal it is only no entry. */
    private function withdraw(int $number, SourceCommit $commit): void
    {
        if ($this->plan instanceof ForkedPlan && $this->definition->landing !== Landing::Append && $this->treater?->left !== null) {
            $this->plan->withdraw($this->treater->left, $number, $commit);
        }
    }

    /**
     * A row that may go to another table takes all of its values along: what a change does not say of it may stand in
     * what it says of the row before.
     *
     * @return list<string|false|null>
     */
    private function filled(Change $change): array
    {
        $after = $change->after ?? [];

        return ! $this->plan instanceof ForkedPlan || $change->before === null ? $after
            : array_map(static fn (string|false|null $a, string|false|null $b): string|false|null => $a === false ? $b : $a, $after, $change->before);
    }

    /**
     * Rows of a load come together, so what they need is looked up together.
     *
     * @param  array<array-key, list<string|null>>  $rows
     */
    public function expect(array $rows): void
    {
        $this->treater?->expect($rows);
    }

    private function leavesKey(Change $change): bool
    {
        return $change->before !== null && $change->after !== null && $this->key->isSaid($change->before) && $this->key->isSaid($change->after)
            && $this->key->text($change->before) !== $this->key->text($change->after);
    }

    /**
     * What waits of a row that changes again must never land after the change. Values that the change does not say, for
     * they are the same, are taken from what waits: the landed row may never have had them.
     */
    private function overtake(Change $change): Change
    {
        if (! $this->aside->anyWaiting() || $this->definition->landing !== Landing::Upsert) {
            return $change;
        }
        $after = $change->after;
        foreach ([$change->before, $change->after] as $row) {
            if ($row !== null && $this->aside->isWaiting($hash = $this->aside->hash($row))) {
                if ($after !== null && in_array(false, $after, true)) {
                    $known = $this->aside->lastOf($hash);
                    $after = array_map(static fn (string|false|null $v, string|false|null $k): string|false|null => $v === false ? $k : $v, $after, $known);
                }
                $this->aside->overtake([$hash], $this->sequence);
            }
        }

        return $after === $change->after ? $change : new Change($change->kind, $change->before, $after, $change->number);
    }

    /**
     * Takes a record that was set aside before into the plan.
     *
     * @param  list<string|false|null>  $raw
     * @return Apart|bool why it fails again, or whether it will land
     */
    public function again(array $raw, string $kind, SourceCommit $commit, int $number): Apart|bool
    {
        $into = new Treated;
        $after = $this->treater === null ? $raw : $this->treater->row($raw, $into);
        if ($after !== null) {
            $this->passed++;
            $this->land($kind, null, $after, $number, $commit);
        } else {
            $this->withdraw($number, $commit);
        }
        $this->watch->add(0, $into);
        $this->kept->dropped += $into->dropped;
        $this->setAside += count($into->apart);

        return $after !== null ?: $into->apart[0] ?? false;
    }

    public function sequence(): int
    {
        return $this->sequence;
    }

    /**
     * Notes when a change was made. A unit of changes may span hours, so their times are rounded: to a millisecond, and
     * once there are many to a tenth of a second, which is little beside such a span.
     *
     * @param  int  $at  microseconds
     */
    public function made(int $at): void
    {
        $step = count($this->takenAt) < 5000 ? 1_000 : 100_000;
        $at -= $at % $step;
        $this->takenAt[$at] = ($this->takenAt[$at] ?? 0) + 1;
    }

    /** The transaction being read is complete. */
    public function committed(int $at): void
    {
        $known = array_sum($this->takenAt);
        foreach ($this->takenAt as $made => $changes) {
            $this->commits[] = [$made, $changes];
        }
        if ($this->taken > $known) {
            $this->commits[] = [$at, $this->taken - $known];
        }
        $this->taken = 0;
        $this->takenAt = [];
    }

    /**
     * A change as the spool keeps it: by column names, since the shape may have moved on when it is taken out again.
     *
     * @return array<string, mixed>
     */
    public static function entry(LoggedRow $row, int $number): array
    {
        return ['k' => $row->operation, 'c' => $row->relation->columns, 'b' => $row->before, 'a' => $row->after, 'n' => $number];
    }

    /** @param  array<string, mixed>  $entry */
    public function fromEntry(array $entry): Change
    {
        $pick = array_map(static fn (string $c): int|false => array_search($c, $entry['c'], true), $this->definition->carried()->names());

        return new Change($entry['k'], self::picked($entry['b'], $pick), self::picked($entry['a'], $pick), $entry['n']);
    }

    /**
     * @param  list<string|false|null>|null  $values
     * @param  list<int|false>  $pick  false for a column that did not exist yet
     * @return list<string|false|null>|null
     */
    private static function picked(?array $values, array $pick): ?array
    {
        return $values === null ? null : array_map(static fn (int|false $at): string|false|null => $at === false ? null : $values[$at], $pick);
    }
}
